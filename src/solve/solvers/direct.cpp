#include <Eigen/SparseCholesky>
#include <Eigen/SparseLU>

#include "kinds.hpp"

namespace williwaw {
namespace {

using SparseMatrix = Eigen::SparseMatrix<Real, Eigen::ColMajor, int>;
using Vector = Eigen::Map<Eigen::VectorXd>;
using ConstVector = Eigen::Map<const Eigen::VectorXd>;

class Direct final : public LinearSolver {
 public:
  std::string name() const override { return symmetric_ ? "direct (sparse LDLᵀ)" : "direct (sparse LU)"; }

  void factor(const LinearSystem& system) override {
    const Index rows = rows_of(system);
    std::vector<Eigen::Triplet<Real, int>> entries;
    for (const auto& t : triplets_of(system))
      entries.emplace_back(static_cast<int>(t.row), static_cast<int>(t.column), t.value);
    SparseMatrix matrix(rows, rows);
    matrix.setFromTriplets(entries.begin(), entries.end());
    const SparseMatrix transposed = matrix.transpose();
    symmetric_ = (matrix - transposed).norm() <= 1e-12 * matrix.norm();
    if (symmetric_) {
      cholesky_.compute(matrix);
      // A zero pivot passes as success there; LU then says whether the matrix is really singular.
      if (cholesky_.info() == Eigen::Success && cholesky_.vectorD().cwiseAbs().minCoeff() > 0) return;
      symmetric_ = false;
    }
    lu_.compute(matrix);
    if (lu_.info() != Eigen::Success) throw SolverError("the matrix is singular");
  }

  void solve(std::span<const Real> right, std::span<Real> solution) override {
    const ConstVector b(right.data(), static_cast<Eigen::Index>(right.size()));
    Vector x(solution.data(), static_cast<Eigen::Index>(solution.size()));
    if (symmetric_)
      x = cholesky_.solve(b);
    else
      x = lu_.solve(b);
  }

 private:
  bool symmetric_ = true;
  Eigen::SimplicialLDLT<SparseMatrix> cholesky_;
  Eigen::SparseLU<SparseMatrix> lu_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_direct_solver() {
  return std::make_unique<Direct>();
}

SolverKind solvers::direct() {
  return {.name = "direct", .takes_singular = false, .make = [](const SolverRules&) {
            return make_direct_solver();
          }};
}

}  // namespace williwaw
