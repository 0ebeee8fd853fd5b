// Solves the equation of one implicit stage, and keeps its matrix as long as it holds.
#pragma once

#include <cmath>
#include <optional>

#include "williwaw/time/stepper.hpp"

namespace williwaw {

/// A stage whose solution was looked for where data are no numbers.
class StageMeetsData final : public SolverError {
 public:
  explicit StageMeetsData(DataError met) : SolverError(met.what()), data(std::move(met)) {}
  DataError data;
};

/// The weight that a matrix was factored for. Weights that differ by round-off share a matrix, also in a run
/// that goes on, which writes it down.
class FactoredWeight {
 public:
  /// The weight to factor for; nothing where the matrix in use will do.
  std::optional<Real> wanted(Real weight) const {
    const bool same = std::abs(weight - value_) <= 1e-12 * std::abs(weight);
    if (same && factored_) return std::nullopt;
    return same ? value_ : weight;
  }
  void factored(Real weight) {
    value_ = weight;
    factored_ = true;
  }
  Real value() const { return value_; }
  /// Of a run that goes on, whose matrix is still to be factored.
  void recall(Real value) {
    value_ = value;
    factored_ = false;
  }

 private:
  Real value_ = 0;
  bool factored_ = false;
};

class StageSolver {
 public:
  /// `parts` are what the stage treats implicitly.
  StageSolver(Balance& balance, const Solving& solving, Parts parts = Parts::all());

  /// Q(y) − weight·F(y) = known at time `at`; `y` holds a first guess. Prescribed unknowns get their values
  /// first.
  void solve(State& y, const State& known, Real at, Real weight);
  /// (C − weight·F')⁻¹·right with the matrix last used, which damps what is stiff in an amount.
  void smooth(const State& right, State& out);
  /// Sum of what is left of the stage's equation, with the rate at the solution.
  Real left_of(const State& y, const State& known, const State& rate, Real at, Real weight);

  /// To be written down.
  Real factored_weight() const { return factored_weight_.value(); }
  void recall(Real factored_weight) { factored_weight_.recall(factored_weight); }

  std::string name() const { return solver_ ? solver_->name() : ""; }
  Index iterations() const { return iterations_; }
  /// Corrections by Newton's method so far.
  Index newton_iterations() const { return newton_iterations_; }
  int factorizations() const { return factorizations_; }

 private:
  /// What a solver is chosen by.
  struct Shape {
    bool symmetric = true, joined = false;
    bool operator==(const Shape&) const = default;
  };
  Shape shape_of(const LinearSystem& system) const;
  void factor(const State& about, Real at, Real weight);
  void residual(const State& trial, const State& known, Real at, Real weight, State& r);
  std::vector<Real> largest_by_block(const State& y) const;
  Real round_off(const std::vector<Real>& sizes, const std::vector<Real>& amounts) const;
  void correct(const State& about, Real at, Real weight, const State& r, State& d);

  Balance& balance_;
  Capabilities capabilities_;
  Parts parts_;
  std::string kind_;
  SolverRules rules_;
  std::unique_ptr<LinearSolver> solver_;
  LinearSystem system_;
  State rate_, work_, correction_;
  Ledger ignored_;
  FactoredWeight factored_weight_;

  Shape shape_;
  Index iterations_ = 0, newton_iterations_ = 0;
  int factorizations_ = 0;
};

/// What solvers left of the amounts that a step's formula gives, taken over to the next step, so that it
/// does not add up: Newton's method ends where the last digit of the unknown changes the flows by more than
/// what is missing. Of linear equations, which have no such end, nothing is taken over.
class Remainder {
 public:
  explicit Remainder(Balance& balance);
  /// Adds what was taken over to the amounts at the start of a step.
  void add_to(State& amounts) const;
  /// At the end of a step: `formula` are the amounts that it gives, y is its state.
  void keep(const State& formula, const State& y, Real at);
  void take_back() { left_ = before_; }
  /// Empty where nothing is taken over.
  const State& state() const { return left_; }
  void recall(const State& state) { left_ = state; }

 private:
  Balance& balance_;
  bool used_;
  State left_, before_;
};

/// Solves with the matrix last factored and counts iterations. Throws SolverError where they do not suffice.
void solve_step(LinearSolver& solver, const State& right, State& out, Index& iterations);

/// The same from a first guess in `out`.
void improve_step(LinearSolver& solver, const State& right, State& out, Index& iterations);

/// Nonzero for unknowns that boundaries hold or that are cut out.
std::vector<char> mask_of_fixed(const Balance& balance);

/// Waves: what boundaries hold moves as they do, over the step that begins at `at` in state `y`.
void move_prescribed(Balance& balance, const State& y, Real at, Real step, State& rate);

/// Throws InputError unless the balance offers a matrix.
void need_matrix(Balance& balance, const Scheme& scheme);
/// Throws InputError for waves with ends that only leapfrog can follow.
void refuse_leapfrog_boundaries(const SecondOrderDynamics& dynamics, const Scheme& scheme);

}  // namespace williwaw
