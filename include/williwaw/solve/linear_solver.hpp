// Linear solvers behind one interface: factor once, solve as often as needed.
#pragma once

#include <memory>

#include "williwaw/space/linear_system.hpp"

namespace williwaw {

/// A solver could not do what was asked: a singular matrix, or a tolerance not met.
class SolverError : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

class LinearSolver {
 public:
  virtual ~LinearSolver() = default;
  /// How reports call it.
  virtual std::string name() const = 0;
  /// Throws SolverError for a singular matrix.
  virtual void factor(const LinearSystem& system) = 0;
  /// Solves for one right-hand side; both spans have as many entries as the matrix has rows.
  virtual void solve(std::span<const Real> right, std::span<Real> solution) const = 0;
};

/// Thomas' algorithm for a tridiagonal FaceSystem, with the Sherman-Morrison correction when it is periodic.
std::unique_ptr<LinearSolver> make_tridiagonal_solver();
/// Eigen's sparse direct solvers: Cholesky (LDLᵀ) for symmetric matrices, LU for others.
std::unique_ptr<LinearSolver> make_direct_solver();
/// The one that suits the matrix: tridiagonal in one dimension, direct otherwise.
std::unique_ptr<LinearSolver> make_solver_for(const LinearSystem& system);

}  // namespace williwaw
