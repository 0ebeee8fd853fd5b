// Conjugate gradients (Hestenes and Stiefel, 1952) on systems of faces, preconditioned by the diagonal or by
// a multigrid cycle.
#include <algorithm>
#include <cmath>

#include "domain/summing.hpp"
#include "grid/threads.hpp"
#include "kinds.hpp"
#include "solve/multigrid/hierarchy.hpp"

namespace williwaw {
namespace {

class ConjugateGradients final : public LinearSolver {
 public:
  ConjugateGradients(const SolverRules& rules, bool multigrid) : rules_(rules), multigrid_(multigrid) {}

  std::string name() const override {
    return multigrid_ ? "conjugate gradients with multigrid" : "conjugate gradients";
  }
  const Convergence* convergence() const override { return &convergence_; }

  void factor(const LinearSystem& system) override {
    const auto* faces = std::get_if<FaceSystem>(&system);
    if (!faces) throw SolverError("conjugate gradients take systems of fluxes between two neighbours only");
    threads_ = threads_for(faces->size(), rules_.threads);
    diagonal_ = faces->diagonal;
    shape_.extent = faces->extent;
    shape_.periodic = faces->periodic;
    shape_.dimension = faces->dimension();
    shape_.layout = Layout(faces->extent);
    prescribed_ = faces->prescribed;
    box_ = faces->box;
    for (int a = 0; a < shape_.dimension; ++a) {
      low_[a].resize(diagonal_.size());
      const Index count = static_cast<Index>(diagonal_.size());
      const Real* lower = faces->lower[a].data();
      Real* low = low_[a].data();
#pragma omp parallel for simd schedule(static) num_threads(threads_) if (threads_ > 1)
      for (Index n = 0; n < count; ++n) low[n] = -lower[n];
    }
    if (box_) {
      // What joins the last own row to the one after it stands in the halo.
      for (int a = 0; a < shape_.dimension; ++a) box_->exchange(low_[a]);
      if (!multigrid_) {
        singular_ = nothing_holds(*faces);
        return;
      }
    }
    // The hierarchy also tells whether the matrix is one for this method.
    hierarchy_.build(*faces, threads_);
    singular_ = hierarchy_.singular();
    if (!multigrid_) hierarchy_ = {};
  }

  void solve(std::span<const Real> right, std::span<Real> x) override {
    const Index n = static_cast<Index>(right.size());
    const faces::View<double> a{shape_.extent,
                                shape_.periodic,
                                shape_.dimension,
                                diagonal_.data(),
                                {low_[0].data(), low_[1].data(), low_[2].data()}};
    r_.assign(right.begin(), right.end());
    p_.assign(right.size(), 0.0);
    ap_.resize(right.size());
    std::fill(x.begin(), x.end(), 0.0);
    if (singular_) remove_mean(r_);
    Real square = sum([&](Index i) { return r_[i] * r_[i]; });
    convergence_ = {};
    const Real goal = rules_.tolerance * rules_.tolerance * square, first = square;
    convergence_.residuals.push_back(square > 0 ? 1 : 0);
    convergence_.reached = !(square > 0);
    Real last = 1, length = 0;
    Real *const r = r_.data(), *const p = p_.data(), *const ap = ap_.data(), *const to = x.data();
    for (Index k = 0; k < rules_.iterations && !convergence_.reached; ++k) {
      const Real product = precondition(n, square);
      // The cycle is rounded to single precision and so not quite the same each time: the product with the
      // change of r takes that into account (Polak and Ribière, 1969).
      const float* const z = z_.data();
      const Real scale = -length * size_;
      const Real changed = k == 0 || !multigrid_
                               ? product
                               : sum([=](Index i) { return scale * ap[i] * static_cast<Real>(z[i]); });
      const Real beta = k == 0 ? 0 : std::max(0.0, changed / last);
      last = product;
      turn(beta);
      if (box_) box_->exchange(p_);
      const Real curvature =
          box_ ? faces::multiply(a, *box_, p, ap, threads_) : faces::multiply(a, p, ap, threads_);
      if (!(curvature > 0)) break;
      length = product / curvature;
      square = sum([=](Index i) {
        to[i] += length * p[i];
        r[i] -= length * ap[i];
        return r[i] * r[i];
      });
      convergence_.residuals.push_back(std::sqrt(square / first));
      convergence_.reached = square <= goal;
      if (!std::isfinite(square))
        throw SolverError("conjugate gradients broke down: the matrix is not one that has a solution");
    }
    if (singular_) {
      std::span<Real> result = x;
      remove_mean(result);
    }
    if (box_) box_->exchange(x);
  }

 private:
  // Of several ranks: all rows sum up to nothing, as far as rounding tells.
  static bool nothing_holds(const FaceSystem& faces) {
    bool held = false;
    for (Index n = 0; n < faces.size(); ++n) {
      const auto i = static_cast<std::size_t>(n);
      if (!faces.box->owns(n)) continue;
      if (!faces.prescribed.empty() && faces.prescribed[i]) {
        held = true;
        continue;
      }
      Real rest = faces.diagonal[i];
      for (int a = 0; a < faces.dimension(); ++a) rest += faces.lower[a][i] + faces.upper[a][i];
      held = held || rest > 1e-12 * faces.diagonal[i];
    }
    return !faces.box->communicator().any(held);
  }

  // Identity rows take no part in the mean.
  template <class Values>
  void remove_mean(Values& v) const {
    const auto free = [&](Index i) {
      return prescribed_.empty() || !prescribed_[static_cast<std::size_t>(i)];
    };
    const Real whole = sum([&](Index i) { return free(i) ? v[static_cast<std::size_t>(i)] : 0.0; }),
               count = sum([&](Index i) { return free(i) ? 1.0 : 0.0; });
    for (Index i = 0; i < static_cast<Index>(v.size()); ++i)
      if (free(i)) v[static_cast<std::size_t>(i)] -= whole / count;
  }

  template <class Term>
  Real sum(const Term& term) const {
    if (box_) return sum_over(*box_, shape_.extent[0], threads_, term);
    return sum_over(Reductions(shape_.layout, threads_), term);
  }

  // p = z + beta·p, z what the preconditioner made of r.
  void turn(Real beta) {
    Real* const p = p_.data();
    const Index n = static_cast<Index>(p_.size());
    if (multigrid_) {
      const float* const z = z_.data();
      const Real size = size_;
#pragma omp parallel for simd schedule(static) num_threads(threads_) if (threads_ > 1)
      for (Index i = 0; i < n; ++i) p[i] = size * static_cast<Real>(z[i]) + beta * p[i];
    } else {
      const Real *const r = r_.data(), *const d = diagonal_.data();
#pragma omp parallel for simd schedule(static) num_threads(threads_) if (threads_ > 1)
      for (Index i = 0; i < n; ++i) p[i] = r[i] / d[i] + beta * p[i];
    }
  }

  Real precondition(Index n, Real square) {
    const Real* const r = r_.data();
    if (!multigrid_) {
      const Real* const d = diagonal_.data();
      return sum([=](Index i) { return r[i] * r[i] / d[i]; });
    }
    single_.resize(r_.size());
    // Single precision holds no numbers below 1e-38: residuals go in scaled by their size.
    size_ = std::sqrt(square);
    const Real scale = 1 / size_;
    float* const single = single_.data();
#pragma omp parallel for simd schedule(static) num_threads(threads_) if (threads_ > 1)
    for (Index i = 0; i < n; ++i) single[i] = static_cast<float>(scale * r[i]);
    hierarchy_.apply(single_, z_);
    const float* const z = z_.data();
    const Real size = size_;
    return sum([=](Index i) { return size * static_cast<Real>(z[i]) * r[i]; });
  }

  SolverRules rules_;
  bool multigrid_, singular_ = false;
  int threads_ = 1;
  struct Shape {
    std::array<Index, 3> extent{1, 1, 1};
    std::array<bool, 3> periodic{};
    int dimension = 1;
    Layout layout;
  } shape_;
  std::vector<Real> diagonal_, r_, p_, ap_;
  std::array<std::vector<Real>, 3> low_;
  std::vector<char> prescribed_;
  std::shared_ptr<const Box> box_;  ///< of one rank among several
  std::vector<float> single_, z_;
  Real size_ = 1;
  Hierarchy hierarchy_;
  Convergence convergence_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_cg_solver(const SolverRules& rules) {
  return std::make_unique<ConjugateGradients>(rules, false);
}

std::unique_ptr<LinearSolver> make_cg_with_multigrid(const SolverRules& rules) {
  return std::make_unique<ConjugateGradients>(rules, true);
}

SolverKind solvers::cg() {
  return {.name = "cg", .iterates = true, .on_ranks = true, .make = make_cg_solver};
}

}  // namespace williwaw
