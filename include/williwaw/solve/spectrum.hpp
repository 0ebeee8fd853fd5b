// Extreme eigenvalues of small or tridiagonal symmetric matrices.
#pragma once

#include "williwaw/balance/linear_system.hpp"
#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Largest eigenvalue of the symmetric tridiagonal matrix with this diagonal and off-diagonal, and `corner`
/// joining first and last row; by bisection on the number of negative pivots (Givens, 1954; Sylvester's law
/// of inertia), to a few units in the last place.
Real largest_eigenvalue(std::span<const Real> diagonal, std::span<const Real> off_diagonal, Real corner = 0);
/// Smallest eigenvalue of the same.
Real smallest_eigenvalue(std::span<const Real> diagonal, std::span<const Real> off_diagonal, Real corner = 0);

/// All eigenvalues, increasing, of a symmetric matrix given by its entries; dense, for small matrices.
std::vector<Real> symmetric_eigenvalues(Index rows, const std::vector<Triplet>& entries);

/// The largest Ritz value of a symmetric operator after some dozen products, a bound from below that comes
/// close (Lanczos 1950). Rows that are not `free` must be zero.
Real largest_by_lanczos(FaceSystem symmetric, const std::vector<char>& free);

}  // namespace williwaw
