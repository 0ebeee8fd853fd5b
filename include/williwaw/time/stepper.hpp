// Takes steps of any Runge-Kutta scheme, explicit or diagonally implicit, on any balance.
#pragma once

#include "williwaw/solve/linear_solver.hpp"
#include "williwaw/space/balance.hpp"
#include "williwaw/time/tableau.hpp"

namespace williwaw {

/// What crossed each line of the ledger is advanced by the same weights as the state itself, so that the
/// budget of every scheme closes; what walls supplied to hold their nodes is what remains.
class Stepper {
 public:
  /// `solver` is a name of solver_kinds() or "auto". Throws InputError if the scheme needs what the balance
  /// does not offer.
  Stepper(Balance& balance, const Scheme& scheme, const std::string& solver = "auto", int threads = 0);

  /// Between calls `y` must stay as it was left: schemes that end with a stage use its rate again.
  ///
  /// Moves `y` from time `at` over `step`. `amounts` gets what came in on each line; the result are the
  /// totals of the new state. Throws SolverError if a stage cannot be solved.
  Totals advance(State& y, Real at, Real step, Ledger& amounts);

  /// The state before the last step.
  const State& previous() const { return previous_; }
  /// Sum over the last step of what linear and Newton solvers left of each stage's equation, as an amount.
  Real left_by_solver() const { return left_by_solver_; }
  /// Name of the linear solver in use; empty for explicit schemes.
  std::string solver_name() const { return solver_ ? solver_->name() : ""; }
  /// Iterations of the linear solver so far, 0 for direct ones.
  Index solver_iterations() const { return solver_iterations_; }
  /// How often a matrix was factored.
  int factorizations() const { return factorizations_; }

 private:
  void solve_stage(State& y, const State& known, Real at, Real weight);
  void evaluate(int stage, const State& y, Real at);

  Balance& balance_;
  Scheme scheme_;
  Offers offers_;
  bool one_pass_;
  State previous_, start_, stage_, known_, work_, guess_;
  std::vector<State> rates_;
  std::vector<Ledger> booked_;
  bool first_rate_known_ = false;
  Real known_at_ = 0;
  std::string solver_kind_;
  SolverRules rules_;
  std::unique_ptr<LinearSolver> solver_;
  Index solver_iterations_ = 0;
  LinearSystem system_;
  Real factored_weight_ = 0;
  bool factored_ = false;
  int factorizations_ = 0;
  Real left_by_solver_ = 0;
};

}  // namespace williwaw
