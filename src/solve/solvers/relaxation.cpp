// Jacobi, Gauss-Seidel and successive over-relaxation: slow, and there for those who study them.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "kinds.hpp"

namespace williwaw {
namespace {

// Over how many iterations the factor by which changes shrink is taken.
constexpr std::size_t memory = 20;

class Relaxation final : public LinearSolver {
 public:
  Relaxation(std::string name, const SolverRules& rules) : name_(std::move(name)), rules_(rules) {}

  std::string name() const override {
    if (name_ == "sor") return "successive over-relaxation, factor " + to_text(factor_);
    return name_ == "jacobi" ? "Jacobi" : "Gauss-Seidel";
  }
  const Convergence* convergence() const override { return &convergence_; }

  void factor(const LinearSystem& system) override {
    const auto* faces = std::get_if<FaceSystem>(&system);
    if (!faces) throw SolverError("relaxation takes systems of fluxes between two neighbours only");
    system_ = *faces;
    dimension_ = system_.dimension();
    stride_ = {1, system_.extent[0], system_.extent[0] * system_.extent[1]};
    for (int a = 0; a < dimension_; ++a) {
      lower_[a] = system_.lower[a].data();
      upper_[a] = system_.upper[a].data();
    }
    for (const Real d : system_.diagonal)
      if (d == 0) throw SolverError("relaxation needs a diagonal without zeros");
    factor_ = rules_.relaxation > 0 ? rules_.relaxation : best_factor();
    if (name_ != "sor") factor_ = 1;
  }

  void solve(std::span<const Real> right, std::span<Real> x) override {
    std::fill(x.begin(), x.end(), 0.0);
    convergence_ = {};
    Real size = 0;
    for (const Real b : right) size += b * b;
    convergence_.residuals.push_back(size > 0 ? 1 : 0);
    convergence_.reached = !(size > 0);
    std::vector<Real> changes;
    std::vector<Real> before;
    for (Index k = 0; k < rules_.iterations && !convergence_.reached; ++k) {
      if (name_ == "jacobi") before.assign(x.begin(), x.end());
      const std::span<const Real> seen = name_ == "jacobi" ? std::span<const Real>(before) : x;
      Real change = 0;
      for (Index n = 0; n < system_.size(); ++n) {
        const Real step = factor_ * left(n, right, seen) / system_.diagonal[n];
        x[n] += step;
        change = std::max(change, std::abs(step));
      }
      changes.push_back(change);
      Real rest = 0;
      for (Index n = 0; n < system_.size(); ++n) {
        const Real r = left(n, right, x);
        rest += r * r;
      }
      convergence_.residuals.push_back(std::sqrt(rest / size));
      convergence_.reached = convergence_.residuals.back() <= rules_.tolerance;
      if (!std::isfinite(rest)) throw SolverError(name() + " diverges on this matrix");
    }
    estimate(changes);
  }

 private:
  // b − A·x in row n.
  Real left(Index n, std::span<const Real> right, std::span<const Real> x) const {
    Real sum = right[n] - system_.diagonal[n] * x[n];
    for (int a = 0; a < dimension_; ++a) {
      const Real low = lower_[a][n], high = upper_[a][n];
      // Conductances beyond boundaries are zero; only a seam makes a neighbour that is not a stride away.
      if (low != 0) sum -= low * x[system_.periodic[a] ? system_.neighbour(n, a, false) : n - stride_[a]];
      if (high != 0) sum -= high * x[system_.periodic[a] ? system_.neighbour(n, a, true) : n + stride_[a]];
    }
    return sum;
  }

  // What changes that shrink by a steady factor still add up to: change·factor/(1 − factor).
  void estimate(const std::vector<Real>& changes) {
    if (changes.empty()) return;
    const std::size_t count = std::min(memory, changes.size() - 1);
    convergence_.change = changes.back();
    const Real start = changes[changes.size() - 1 - count];
    Real factor = count > 0 && start > 0 ? std::pow(changes.back() / start, 1 / static_cast<Real>(count)) : 1;
    if (!(factor < 1)) factor = 1;
    convergence_.factor = factor;
    convergence_.error = factor < 1 ? convergence_.change * factor / (1 - factor) : INFINITY;
  }

  // 2/(1 + √(1 − ρ²)) with the spectral radius ρ of Jacobi's method on a rectangle with prescribed boundaries
  // (Young, 1954): the mean of cos(π/n) over the axes, weighted by their conductances.
  Real best_factor() const {
    Real sum = 0, all = 0;
    for (int a = 0; a < system_.dimension(); ++a) {
      Real joined = 0;
      for (const Real c : system_.upper[a]) joined += std::abs(c);
      const Real n = static_cast<Real>(system_.extent[a] + 1);
      sum += joined * std::cos(std::numbers::pi / n);
      all += joined;
    }
    const Real radius = all > 0 ? sum / all : 0;
    return 2 / (1 + std::sqrt(1 - radius * radius));
  }

  std::string name_;
  SolverRules rules_;
  FaceSystem system_;
  int dimension_ = 1;
  std::array<Index, 3> stride_{};
  std::array<const Real*, 3> lower_{}, upper_{};
  Real factor_ = 1;
  Convergence convergence_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_relaxation_solver(const std::string& name, const SolverRules& rules) {
  return std::make_unique<Relaxation>(name, rules);
}

SolverKind solvers::jacobi() {
  return {.name = "jacobi", .iterates = true, .make = [](const SolverRules& r) {
            return make_relaxation_solver("jacobi", r);
          }};
}

SolverKind solvers::gauss_seidel() {
  return {.name = "gauss-seidel", .iterates = true, .make = [](const SolverRules& r) {
            return make_relaxation_solver("gauss-seidel", r);
          }};
}

SolverKind solvers::sor() {
  return {.name = "sor",
          .iterates = true,
          .takes_relaxation = true,
          .known_once_factored = true,
          .make = [](const SolverRules& r) { return make_relaxation_solver("sor", r); }};
}

}  // namespace williwaw
