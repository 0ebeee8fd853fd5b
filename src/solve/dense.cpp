#include "williwaw/solve/dense.hpp"

#include <Eigen/Eigenvalues>
#include <Eigen/LU>

namespace williwaw {

namespace {

using DenseMatrix = Eigen::MatrixXd;
using Symmetric = Eigen::SelfAdjointEigenSolver<DenseMatrix>;

Eigen::Map<const DenseMatrix> view(Index rows, std::span<const Real> matrix) {
  return {matrix.data(), rows, rows};
}

SymmetricModes modes_of(const Symmetric& solver) {
  const auto& values = solver.eigenvalues();
  const auto& vectors = solver.eigenvectors();
  return {{values.data(), values.data() + values.size()}, {vectors.data(), vectors.data() + vectors.size()}};
}

}  // namespace

SymmetricModes symmetric_modes(Index rows, std::span<const Real> matrix) {
  return modes_of(Symmetric(view(rows, matrix)));
}

SymmetricModes tridiagonal_modes(std::span<const Real> diagonal, std::span<const Real> off_diagonal) {
  using Entries = Eigen::Map<const Eigen::VectorXd>;
  const auto rows = static_cast<Index>(diagonal.size());
  Symmetric solver;
  solver.computeFromTridiagonal(Entries(diagonal.data(), rows), Entries(off_diagonal.data(), rows - 1));
  return modes_of(solver);
}

std::vector<Real> symmetric_eigenvalues(Index rows, std::span<const Real> matrix) {
  const Symmetric solver(view(rows, matrix), Eigen::EigenvaluesOnly);
  const auto& values = solver.eigenvalues();
  return {values.data(), values.data() + values.size()};
}

Real largest_hermitian_eigenvalue(Index rows, std::span<const std::complex<Real>> matrix) {
  const Eigen::Map<const Eigen::MatrixXcd> hermitian(matrix.data(), rows, rows);
  return Eigen::SelfAdjointEigenSolver<Eigen::MatrixXcd>(hermitian, Eigen::EigenvaluesOnly)
      .eigenvalues()
      .maxCoeff();
}

std::vector<std::complex<Real>> eigenvalues(Index rows, std::span<const Real> matrix) {
  const Eigen::VectorXcd values = Eigen::EigenSolver<DenseMatrix>(view(rows, matrix), false).eigenvalues();
  return {values.data(), values.data() + values.size()};
}

std::vector<Real> product(Index rows, Index inner, std::span<const Real> left, std::span<const Real> right,
                          bool transposed) {
  const Index columns = inner > 0 ? static_cast<Index>(right.size()) / inner : 0;
  std::vector<Real> out(static_cast<std::size_t>(rows * columns));
  const Eigen::Map<const DenseMatrix> l(left.data(), rows, inner);
  Eigen::Map<DenseMatrix> result(out.data(), rows, columns);
  if (transposed)
    result.noalias() = l * Eigen::Map<const DenseMatrix>(right.data(), columns, inner).transpose();
  else
    result.noalias() = l * Eigen::Map<const DenseMatrix>(right.data(), inner, columns);
  return out;
}

void solve_columns(Index rows, std::span<const Real> matrix, std::span<Real> right) {
  if (rows == 0) return;
  Eigen::Map<DenseMatrix> columns(right.data(), rows, static_cast<Index>(right.size()) / rows);
  columns = Eigen::PartialPivLU<DenseMatrix>(view(rows, matrix)).solve(columns).eval();
}

}  // namespace williwaw
