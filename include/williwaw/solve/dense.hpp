// Dense matrices of moderate size, column after column: products, eigenvalues, linear equations. One source
// file holds the templates that this takes.
#pragma once

#include <complex>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Eigenvalues, increasing, and the eigenvector of each, one after the other, of length one.
struct SymmetricModes {
  std::vector<Real> values;
  std::vector<Real> vectors;  ///< rows·rows numbers
  Index count() const { return static_cast<Index>(values.size()); }
};

/// Of a symmetric matrix of rows·rows entries; its lower half is read.
SymmetricModes symmetric_modes(Index rows, std::span<const Real> matrix);
/// Of the symmetric tridiagonal matrix with this diagonal and off-diagonal, one entry shorter.
SymmetricModes tridiagonal_modes(std::span<const Real> diagonal, std::span<const Real> off_diagonal);
/// Eigenvalues, increasing, of a symmetric matrix; its lower half is read.
std::vector<Real> symmetric_eigenvalues(Index rows, std::span<const Real> matrix);
/// Largest eigenvalue of a Hermitian matrix; its lower half is read.
Real largest_hermitian_eigenvalue(Index rows, std::span<const std::complex<Real>> matrix);
/// Eigenvalues of any real matrix.
std::vector<std::complex<Real>> eigenvalues(Index rows, std::span<const Real> matrix);

/// left·right, or left·rightᵀ where `transposed`: of rows·inner and inner·columns entries (transposed
/// columns·inner).
std::vector<Real> product(Index rows, Index inner, std::span<const Real> left, std::span<const Real> right,
                          bool transposed = false);

/// Solves matrix·x = right for each of the columns of `right`, in place; with partial pivoting.
void solve_columns(Index rows, std::span<const Real> matrix, std::span<Real> right);

}  // namespace williwaw
