// march(): from the initial state to the end, recording on the way.
#pragma once

#include "williwaw/time/budget.hpp"
#include "williwaw/time/guard.hpp"
#include "williwaw/time/stepper.hpp"

namespace williwaw {

/// When to step and when to report.
struct Plan {
  Scheme scheme;
  Real start = 0;
  Real until = 0;
  /// Length of a step.
  Real step = 0;
  /// Shorten steps evenly so that they meet the record times; otherwise a step that misses one is an error.
  bool trim = false;
  /// Times of whole records besides the start and the end.
  std::vector<Real> records = {};
  /// Also a whole record after every so many steps (0: none).
  Index record_every_steps = 0;
  /// Interval of the series; 0 for a row at every step.
  Real series_every = 0;
  bool guard = true;
  /// Linear solver of implicit schemes, by name.
  std::string solver = "auto";
  int threads = 0;
  /// What nodes that walls hold are at the start: the walls' values, the initial ones (the walls take over in
  /// the first step), or the mean of both.
  enum class Walls { boundary, initial, mean } walls = Walls::boundary;
};

/// A stretch between two reported times, cut into equal steps.
struct Stretch {
  Real from;
  Real to;
  Index steps;
  bool record;
  bool series;
};

/// A fixed step that misses a time at which something is recorded, and the nearest that would not.
class StepMisfit : public InputError {
 public:
  StepMisfit(Real step, Real from, Real to, Real shorter, Real longer);
  Real step, from, to, shorter, longer;
};

/// The stretches of a plan. Throws StepMisfit when a fixed step does not meet a record time.
std::vector<Stretch> schedule(const Plan& plan);

/// The run as observers see it after a step.
struct Moment {
  Index step = 0;
  Real time = 0;
  Real step_length = 0;
  const State& state;
  const State& previous;
  Totals totals;
  /// What came in during this step, line by line.
  const Ledger& amounts;
  const Budget& budget;
  /// Largest change of an unknown during this step; costs a pass over the state.
  Real change() const;
};

/// Called while the run goes on; any of them may be left out.
struct Observers {
  std::function<void(const Moment&)> on_step;
  std::function<void(const Moment&)> on_series;
  std::function<void(const Moment&)> on_record;
  /// True ends the run after the current step.
  std::function<bool()> interrupt;
  /// True ends the run after the current step as having reached its end.
  std::function<bool(const Moment&)> arrived;
};

struct Outcome {
  enum class Ending { reached, blew_up, interrupted };
  Ending ending = Ending::reached;
  std::string reason;  ///< of a blow-up
  Real time = 0;
  Index steps = 0;
  Real change = 0;  ///< largest change of an unknown in the last step
  Real last_step = 0;
  Totals totals;
  Budget budget;
  Real left_by_solver = 0;
  std::string solver;
  Index solver_iterations = 0;
};

/// Marches `state` from plan.start to plan.until. `state` holds the initial values without what walls hold,
/// and ends as the final state. Throws InputError for a plan that cannot be kept, SolverError for a stage
/// that cannot be solved. A blow-up is an outcome, not an exception.
Outcome march(Balance& balance, State& state, const Plan& plan, const Observers& observers = {});

}  // namespace williwaw
