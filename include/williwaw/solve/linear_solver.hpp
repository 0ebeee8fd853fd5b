// Linear solvers behind one interface: factor once, solve as often as needed. Direct ones, iterative ones and
// those that people study are all reached by name.
#pragma once

#include <functional>
#include <memory>
#include <stdexcept>

#include "williwaw/balance/linear_system.hpp"

namespace williwaw {

/// A solver could not do what was asked: a singular matrix, or a tolerance not met.
class SolverError : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

/// When an iterative solver stops.
struct SolverRules {
  /// Root of the sum of squares of the residual, relative to that of the right-hand side.
  Real tolerance = 1e-12;
  Index iterations = 10000;
  /// Of successive over-relaxation, between 0 and 2; 0: the best one for a rectangle with prescribed
  /// boundaries.
  Real relaxation = 0;
  int threads = 0;  ///< 0: as many as the machine offers
  /// The matrix will be used many times, which pays for a direct factorization of more unknowns.
  bool reused = false;
};

/// How an iterative solve went.
struct Convergence {
  /// Relative residual before the first iteration and after each one.
  std::vector<Real> residuals;
  bool reached = true;
  /// Relaxation only: the largest change of an unknown in the last iteration, the factor by which changes
  /// shrink from one iteration to the next at the end, and what they add up to if they go on so: the error
  /// that is left. The factor is 1 where no such rate is seen.
  Real change = 0;
  Real factor = 0;
  Real error = 0;

  Index iterations() const { return residuals.empty() ? 0 : static_cast<Index>(residuals.size()) - 1; }
};

class LinearSolver {
 public:
  virtual ~LinearSolver() = default;
  /// How reports call it.
  virtual std::string name() const = 0;
  /// Throws SolverError for a singular matrix, or one that this solver cannot take.
  virtual void factor(const LinearSystem& system) = 0;
  /// Solves for one right-hand side; both spans have as many entries as the matrix has rows. Iterative
  /// solvers start from zero and stop as their rules say, met or not: `convergence` tells.
  virtual void solve(std::span<const Real> right, std::span<Real> solution) = 0;
  /// The same from the values in `solution` on, where a solver can make use of them.
  virtual void improve(std::span<const Real> right, std::span<Real> solution) { solve(right, solution); }
  /// Of the last solve; null for solvers that do not iterate.
  virtual const Convergence* convergence() const { return nullptr; }
};

/// Thomas' algorithm for a tridiagonal FaceSystem, with the Sherman-Morrison correction when it is periodic.
std::unique_ptr<LinearSolver> make_tridiagonal_solver();
/// The same line by line for a FaceSystem of any dimension whose conductances all lie along one axis.
std::unique_ptr<LinearSolver> make_lines_solver();
/// Eigen's sparse direct solvers: Cholesky (LDLᵀ) for symmetric matrices, LU for others.
std::unique_ptr<LinearSolver> make_direct_solver();
/// Conjugate gradients (Hestenes and Stiefel, 1952), preconditioned with the diagonal.
std::unique_ptr<LinearSolver> make_cg_solver(const SolverRules& rules = {});
/// Multigrid cycles: alone on a plane without a seam, with acceleration where they are slow (Alcouffe, Brandt,
/// Dendy and Painter, 1981); elsewhere one is the preconditioner of conjugate gradients, control volumes joined in
/// pairs along each axis that conducts well, with their boundaries, outlines and jumps of material.
std::unique_ptr<LinearSolver> make_multigrid_solver(const SolverRules& rules = {});
/// Stabilized biconjugate gradients (van der Vorst, 1992) with an incomplete LU factorization, for matrices
/// that need not be symmetric.
std::unique_ptr<LinearSolver> make_bicgstab_solver(const SolverRules& rules = {});
/// Fast sine, cosine and Fourier transforms along all axes that allow for them, and Thomas' algorithm along
/// at most one that does not, on so many threads, 0 for all. Takes separable systems only.
std::unique_ptr<LinearSolver> make_transform_solver(int threads = 0);
/// Jacobi, Gauss-Seidel and successive over-relaxation (Young, 1954), unknown by unknown in the grid's order.
std::unique_ptr<LinearSolver> make_relaxation_solver(const std::string& name, const SolverRules& rules = {});

/// A solver as cases name it.
struct SolverKind {
  std::string name;
  /// Takes a tolerance and a number of iterations.
  bool iterates = false;
  /// Takes SolverRules::relaxation.
  bool takes_relaxation = false;
  /// Solves systems that determine the unknowns up to a constant.
  bool takes_singular = true;
  /// Solves for a matrix that several ranks share.
  bool on_ranks = false;
  /// Its factorization is cheap, and tells its full name or that it cannot take the matrix.
  bool known_once_factored = false;
  std::function<std::unique_ptr<LinearSolver>(const SolverRules&)> make;
};

/// Every solver there is, in the order in which messages list them.
const std::vector<SolverKind>& solver_kinds();
/// Null for "auto". Throws InputError for a name that is not there.
const SolverKind* solver_kind(const std::string& name);
/// Throws InputError, with what there is, for a name that stands for no solver on several ranks.
void check_on_ranks(const std::string& name);
/// The solver called `name`; "auto" takes the one that suits the matrix: tridiagonal in one dimension,
/// transforms where they can be had, direct for few unknowns, multigrid otherwise, and stabilized biconjugate
/// gradients where the matrix is not symmetric. Throws InputError for a
/// name that is not there.
std::unique_ptr<LinearSolver> make_solver(const std::string& name, const LinearSystem& system,
                                          const SolverRules& rules = {});
/// True for a system of any dimension whose conductances all lie along one axis.
bool is_of_lines(const FaceSystem& system);
/// True where neighbours count for each other alike, to round-off.
bool is_symmetric(const FaceSystem& system);
/// True for a system that transforms can solve.
bool is_separable(const LinearSystem& system);

}  // namespace williwaw
