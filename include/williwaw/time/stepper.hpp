// Takes steps of any scheme on any balance.
#pragma once

#include <memory>
#include <optional>

#include "williwaw/balance/balance.hpp"
#include "williwaw/solve/linear_solver.hpp"
#include "williwaw/time/scheme.hpp"

namespace williwaw {

/// How implicit stages are solved.
struct Solving {
  std::string solver = "auto";  ///< a name of solver_kinds(), or "auto"
  int threads = 0;
};

/// What a stepper must remember to go on exactly as if it had never stopped.
struct StepperMemory {
  std::vector<Real> numbers;
  std::vector<State> states;
  std::vector<Ledger> ledgers;
};

/// What crossed each line of the ledger is advanced by the same formula as the state itself, so that the
/// budget of every scheme closes; what boundaries supplied to hold their nodes is what remains.
class Stepper {
 public:
  virtual ~Stepper() = default;

  /// Moves `y` from time `at` over `step`. `amounts` gets what came in on each line; the result are the
  /// totals of the new state. Between calls `y` must stay as it was left, since schemes use what they know of
  /// it. Throws SolverError if a stage cannot be solved.
  virtual Totals advance(State& y, Real at, Real step, Ledger& amounts) = 0;
  /// How many steps `advance_several` takes at the most.
  virtual AtOnce at_once() { return {}; }
  /// As so many calls of `advance`, bit for bit. False if nothing was done, since data of one of the steps
  /// are no numbers.
  virtual bool advance_several(State& y, const Pass& pass);
  /// Takes what `advance_several` did last back: `y` becomes what it was before.
  virtual void take_back_several(State& y);
  /// Called once before the first step: gets ready for steps of this length. Schemes of second order in time
  /// tell the totals at the start, energies as they count them; others leave that to the balance.
  virtual std::optional<Totals> begin(const State&, Real, Real) { return std::nullopt; }
  /// Takes the last step back: `y` becomes what it was before. For schemes that estimate errors.
  virtual void take_back(State& y);
  /// Estimated error of the last step's end, unknown by unknown; null where the scheme has no estimate.
  virtual const State* error() const { return nullptr; }
  /// Order of that estimate: it falls with step^(order + 1).
  virtual int error_order() const { return 0; }
  /// Stages of the last step.
  virtual int stages() const { return 1; }

  virtual StepperMemory remember() const { return {}; }
  virtual void recall(const StepperMemory&) {}

  /// The state before the last step.
  virtual const State& previous() const { return previous_; }
  /// Sum over the last step of what linear and Newton solvers left of each stage's equation, as an amount.
  virtual Real left_by_solver() const { return 0; }
  /// Name of the linear solver in use; empty for explicit schemes.
  virtual std::string solver_name() const { return ""; }
  /// Iterations of the linear solver so far, 0 for direct ones.
  virtual Index solver_iterations() const { return 0; }
  /// Corrections by Newton's method so far, 0 for linear equations.
  virtual Index newton_iterations() const { return 0; }
  /// How often a matrix was factored.
  virtual int factorizations() const { return 0; }

 protected:
  State previous_;
};

/// The stepper of a scheme. With `damped_start` > 0 so many first steps are each replaced by two half steps
/// of implicit Euler (Rannacher, 1984), which damp what rough data excite. Throws InputError if the scheme
/// needs what the balance does not offer. The balance must outlive the stepper.
std::unique_ptr<Stepper> make_stepper(Balance& balance, const Scheme& scheme, const Solving& solving = {},
                                      Index damped_start = 0);

/// A bound of the spectral radius of C⁻¹·F' about `y`: Gershgorin's circles (1931).
Real spectral_bound(Balance& balance, const State& y, Real at);

}  // namespace williwaw
