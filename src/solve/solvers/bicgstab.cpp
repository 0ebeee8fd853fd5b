// Stabilized biconjugate gradients (van der Vorst, 1992) for matrices that are not symmetric, preconditioned
// by an incomplete factorization (Saad, 1994; Eigen's); on several ranks each factors what joins its own
// unknowns.
#include <Eigen/IterativeLinearSolvers>
#include <Eigen/SparseCore>
#include <cmath>

#include "kinds.hpp"
#include "williwaw/domain/reductions.hpp"

namespace williwaw {
namespace {

using RowMatrix = Eigen::SparseMatrix<Real, Eigen::RowMajor, int>;

class BiconjugateGradients final : public LinearSolver {
 public:
  explicit BiconjugateGradients(const SolverRules& rules) : rules_(rules) {}

  std::string name() const override { return "stabilized biconjugate gradients with incomplete LU"; }
  const Convergence* convergence() const override { return &convergence_; }

  void factor(const LinearSystem& system) override {
    const auto rows = static_cast<Eigen::Index>(rows_of(system));
    layout_ = layout_of(system);
    std::vector<Eigen::Triplet<Real, int>> entries, own;
    for (const auto& t : triplets_of(system)) {
      // A row of a halo is that of the identity.
      if (!owns(t.row) && t.row != t.column) continue;
      const Real value = owns(t.row) ? t.value : 1;
      entries.emplace_back(static_cast<int>(t.row), static_cast<int>(t.column), value);
      if (shared_ && (t.row == t.column || owns(t.column))) own.push_back(entries.back());
    }
    matrix_.resize(rows, rows);
    matrix_.setFromTriplets(entries.begin(), entries.end());
    factors_.setDroptol(1e-3);
    factors_.setFillfactor(6);
    if (shared_) {
      RowMatrix inner(rows, rows);
      inner.setFromTriplets(own.begin(), own.end());
      factors_.compute(inner);
    } else {
      factors_.compute(matrix_);
    }
    if (Reductions(layout_).highest(factors_.info() == Eigen::Success ? 0 : 1) > 0)
      throw SolverError("the matrix could not be factored, not even in part");
  }

  void solve(std::span<const Real> right, std::span<Real> solution) override {
    const Eigen::Map<const Eigen::VectorXd> b(right.data(), static_cast<Eigen::Index>(right.size()));
    Eigen::Map<Eigen::VectorXd> x(solution.data(), static_cast<Eigen::Index>(solution.size()));
    x.setZero();
    Eigen::VectorXd r = b;
    for (Index n = 0; shared_ && n < static_cast<Index>(right.size()); ++n)
      if (!owns(n)) r[n] = 0;
    Eigen::VectorXd p = Eigen::VectorXd::Zero(b.size()), v = p, y(b.size()), s(b.size()), z(b.size()),
                    t(b.size());
    Eigen::VectorXd shadow = r;
    const Reductions over(layout_);
    const auto dot = [&](const auto& a, const auto& c) {
      return over.dot({a.data(), static_cast<std::size_t>(a.size())},
                      {c.data(), static_cast<std::size_t>(c.size())});
    };
    const Real size = std::sqrt(dot(b, b));
    convergence_ = {};
    convergence_.residuals.push_back(size > 0 ? 1 : 0);
    convergence_.reached = !(size > 0);
    Real rho = 1, alpha = 1, omega = 1;
    for (Index k = 0; k < rules_.iterations && !convergence_.reached; ++k) {
      Real next = dot(shadow, r);
      if (std::abs(next) < 1e-30 * size * size || omega == 0) {
        // Too close to orthogonal to go on: a new start from here.
        shadow = r;
        next = dot(r, r);
        p.setZero();
        v.setZero();
        rho = alpha = omega = 1;
      }
      const Real beta = next / rho * (alpha / omega);
      rho = next;
      p = r + beta * (p - omega * v);
      y = factors_.solve(p);
      exchange(y);
      v = matrix_ * y;
      alpha = rho / dot(shadow, v);
      s = r - alpha * v;
      z = factors_.solve(s);
      exchange(z);
      t = matrix_ * z;
      const Real square = dot(t, t);
      omega = square > 0 ? dot(t, s) / square : 0;
      x += alpha * y + omega * z;
      r = s - omega * t;
      const Real relative = std::sqrt(dot(r, r)) / size;
      convergence_.residuals.push_back(relative);
      convergence_.reached = relative <= rules_.tolerance;
      if (!std::isfinite(relative)) throw SolverError(name() + " broke down");
    }
    if (!shared_) return;
    Eigen::VectorXd complete = x;
    exchange(complete);
    x = complete;
  }

 private:
  static Block block_of(const FaceSystem& faces) {
    return {"", Placement::cells, faces.extent, 1, 0, faces.box};
  }
  Layout layout_of(const LinearSystem& system) {
    std::vector<Block> blocks;
    if (const auto* faces = std::get_if<FaceSystem>(&system)) blocks.push_back(block_of(*faces));
    if (const auto* several = std::get_if<BlockSystem>(&system); several && several->blocks.front().box)
      for (const FaceSystem& faces : several->blocks) blocks.push_back(block_of(faces));
    shared_ = !blocks.empty() && blocks.front().box;
    return blocks.empty() ? Layout(std::array<Index, 3>{rows_of(system), 1, 1}) : Layout(std::move(blocks));
  }
  // Of a row or column of the whole system.
  bool owns(Index n) const {
    if (!shared_) return true;
    const std::size_t block = layout_.block_of(n);
    return layout_.blocks()[block].box->owns(n - layout_.start(block));
  }
  void exchange(Eigen::VectorXd& values) const {
    for (std::size_t b = 0; shared_ && b < layout_.blocks().size(); ++b)
      layout_.blocks()[b].box->exchange({values.data() + layout_.start(b),
                                         static_cast<std::size_t>(layout_.start(b + 1) - layout_.start(b))});
  }

  SolverRules rules_;
  bool shared_ = false;  ///< by several ranks
  RowMatrix matrix_;
  Layout layout_;
  Eigen::IncompleteLUT<Real> factors_;
  Convergence convergence_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_bicgstab_solver(const SolverRules& rules) {
  return std::make_unique<BiconjugateGradients>(rules);
}

SolverKind solvers::bicgstab() {
  return {.name = "bicgstab", .iterates = true, .on_ranks = true, .make = make_bicgstab_solver};
}

}  // namespace williwaw
