#include <cmath>

#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {
namespace {

class Tridiagonal final : public LinearSolver {
 public:
  std::string name() const override { return periodic_ ? "Thomas (periodic)" : "Thomas"; }

  void factor(const LinearSystem& system) override {
    const auto& m = std::get<FaceSystem>(system);
    if (m.dimension() != 1) throw SolverError("the tridiagonal solver takes one-dimensional problems only");
    const Index n = m.size();
    periodic_ = m.periodic[0] && n > 1;
    below_ = m.lower[0];
    ratio_ = m.upper[0];
    pivot_ = m.diagonal;
    // An unknown that is its own neighbour.
    if (m.periodic[0] && n == 1) pivot_[0] += below_[0] + ratio_[0];
    if (periodic_) {
      // The corners are taken out as a rank-one change u·vᵀ with u = (s, 0, .., 0, last), v = (1, 0, ..,
      // first/s).
      shift_ = -pivot_[0];
      first_ = below_[0];
      last_ = ratio_[n - 1];
      pivot_[0] -= shift_;
      pivot_[n - 1] -= last_ * first_ / shift_;
    }
    for (Index i = 0; i < n; ++i) {
      if (i > 0) pivot_[i] -= below_[i] * ratio_[i - 1];
      if (pivot_[i] == 0 || !std::isfinite(pivot_[i]))
        throw SolverError("the matrix is singular (pivot " + std::to_string(i) + ")");
      pivot_[i] = 1 / pivot_[i];
      ratio_[i] *= pivot_[i];
      below_[i] *= pivot_[i];
    }
    if (!periodic_) return;
    std::vector<Real> u(static_cast<std::size_t>(n), 0.0);
    u[0] = shift_;
    u[n - 1] = last_;
    correction_.resize(u.size());
    sweep(u, correction_);
    denominator_ = 1 + correction_[0] + first_ / shift_ * correction_[n - 1];
    if (denominator_ == 0) throw SolverError("the periodic matrix is singular");
  }

  void solve(std::span<const Real> right, std::span<Real> x) override {
    sweep(right, x);
    if (!periodic_) return;
    const Real factor = (x.front() + first_ / shift_ * x.back()) / denominator_;
    for (std::size_t i = 0; i < x.size(); ++i) x[i] -= factor * correction_[i];
  }

 private:
  void sweep(std::span<const Real> right, std::span<Real> x) const {
    const Index n = static_cast<Index>(pivot_.size());
    x[0] = right[0] * pivot_[0];
    // One multiplication and one subtraction wait for the unknown before.
    for (Index i = 1; i < n; ++i) x[i] = right[i] * pivot_[i] - below_[i] * x[i - 1];
    for (Index i = n - 2; i >= 0; --i) x[i] -= ratio_[i] * x[i + 1];
  }

  bool periodic_ = false;
  Real shift_ = 0, first_ = 0, last_ = 0, denominator_ = 1;
  std::vector<Real> below_, ratio_, pivot_, correction_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_tridiagonal_solver() {
  return std::make_unique<Tridiagonal>();
}

}  // namespace williwaw
