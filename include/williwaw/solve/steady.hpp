// Steady states: Σ F(y) = 0, by one linear solve or by Newton's method around it.
#pragma once

#include "williwaw/balance/balance.hpp"
#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

/// How a steady state is looked for.
struct SteadyRules {
  std::string solver = "auto";  ///< a name of solver_kinds(), or "auto"
  /// Stop when the residual, the root of the sum over all control volumes of (what flows in, net)², has
  /// fallen to this fraction of that of a uniform field (the mean of the first guess, boundaries at their
  /// values).
  Real tolerance = 1e-10;
  Index iterations = 10000;
  Real relaxation = 0;  ///< as in SolverRules
  int threads = 0;
};

struct SteadyOutcome {
  bool reached = false;
  std::string solver;
  /// Residuals relative to that of a uniform field: of the first guess, and after every iteration of a solver
  /// that iterates, or after every Newton step.
  std::vector<Real> residuals;
  int newton_steps = 0;
  /// As in Convergence, of the last solve of a relaxation method; `error` is what remains, not what changed.
  Real change = 0, factor = 0, error = 0;
  /// The mean of what is stored was fixed to that of the first guess, since nothing else fixes it.
  bool mean_fixed = false;
  /// Flow on each line of the ledger, into the domain.
  Ledger flows;
  /// Net flow into all control volumes together: what the solver left.
  Real left = 0;
  Totals totals;

  Index iterations() const { return residuals.empty() ? 0 : static_cast<Index>(residuals.size()) - 1; }
};

/// A piece of the domain that nothing fixes, though more flows into it than out of it.
class SingularProblem : public SolverError {
 public:
  SingularProblem(Index somewhere, Index size, bool whole, Real net);
  Index unknown;  ///< one in the piece
  Index count;    ///< unknowns in it
  bool whole;     ///< the piece is all there is
  Real net;       ///< flow into it that has no way out
};

/// What solve_steady would do, without doing it: the name of the solver it would take. Throws as it does.
struct SteadyPreview {
  std::string solver;
  bool mean_fixed = false;
};
SteadyPreview preview_steady(Balance& balance, State y, Real at = 0, const SteadyRules& rules = {});

/// Moves `y` from a first guess to the steady state for boundaries and sources as they are at time `at`. A
/// tolerance that is not met is an outcome (`reached`), not an exception. Throws InputError for a balance
/// without a matrix, SingularProblem, SolverError.
SteadyOutcome solve_steady(Balance& balance, State& y, Real at = 0, const SteadyRules& rules = {});

}  // namespace williwaw
