// march(): from the initial state to the end, recording on the way.
#pragma once

#include "williwaw/time/budget.hpp"
#include "williwaw/time/guard.hpp"
#include "williwaw/time/step_control.hpp"
#include "williwaw/time/stepper.hpp"

namespace williwaw {

/// When to step and when to report.
struct Plan {
  Scheme scheme;
  Real start = 0;
  Real until = 0;
  /// Length of a step; of the first one where steps are chosen by their errors (0: chosen as well).
  Real step = 0;
  /// Steps chosen by their estimated errors, for schemes that have an estimate.
  std::optional<Tolerance> adaptive = {};
  /// So many first steps are each two half steps of implicit Euler, against rough data.
  Index damped_start = 0;
  /// Shorten steps evenly so that they meet the record times; otherwise a step that misses one is an error.
  bool trim = false;
  /// Times of whole records besides the start and the end.
  std::vector<Real> records = {};
  /// Times at which a step must end besides those of records and series.
  std::vector<Real> stops = {};
  /// Also a whole record after every so many steps (0: none).
  Index record_every_steps = 0;
  /// Interval of the rows of the series, which steps need not meet; 0 for a row at every step.
  Real series_every = 0;
  bool guard = true;
  /// Values for which the step is within its limit, where the limit depends on them: the run ends when they
  /// are left.
  std::optional<std::pair<Real, Real>> stable_values = {};
  /// Linear solver of implicit schemes, by name.
  std::string solver = "auto";
  int threads = 0;
  /// Several steps in one pass over memory, where nobody looks at the states between and that is faster.
  bool tiling = true;
  /// What nodes that boundaries hold are at the start: the boundaries' values, the initial ones (the
  /// boundaries take over in the first step), or the mean of both.
  enum class BoundaryNodes { boundary, initial, mean } boundary_nodes = BoundaryNodes::boundary;
};

/// A stretch between two recorded times, cut into equal steps.
struct Interval {
  Real from;
  Real to;
  Index steps;
  bool record;
};

/// A fixed step that misses a time at which something is recorded, and the nearest that would not.
class StepMisfit : public InputError {
 public:
  StepMisfit(Real step, Real from, Real to, Real shorter, Real longer);
  Real step, from, to, shorter, longer;
};

/// The intervals of a plan. Throws StepMisfit when a fixed step does not meet a record time.
std::vector<Interval> schedule(const Plan& plan);

/// The run as observers see it after a step, or at a row of the series.
struct StepInfo {
  Index step = 0;
  Real time = 0;
  Real step_length = 0;
  const State& state;
  const State& previous;
  Totals totals;
  /// What came in during this step, line by line.
  const Ledger& amounts;
  const Budget& budget;
  /// Of whole states.
  Reductions over;
  /// A row of the series between two steps: state, totals and budget are linear in time between both, so that
  /// the budget of the row closes as those of the steps do. `amounts` and `step_length` are those of the step
  /// around it.
  bool between_steps = false;
  /// Largest change of an unknown during this step; costs a pass over the state.
  Real change() const;
};

/// Where a run stands between two steps: all that it takes to go on as if it had never stopped.
struct Snapshot {
  Real time = 0;
  Index steps = 0, rejected = 0;
  std::size_t interval = 0;  ///< of the schedule
  Index step_of_interval = 0;
  State state;
  Totals totals;
  Budget budget;
  Guard guard;
  StepperMemory stepper;
  ControlMemory control;
  Real left_by_solver = 0;
  Real shortest_step = 0, longest_step = 0;
  int most_stages = 0;
  Real lowest = 0, highest = 0;  ///< of the unknown, over all steps
};

/// A step whose length was chosen by its error, taken or rejected.
struct StepTrial {
  Real from = 0, length = 0;
  Real error = 0;  ///< over the tolerance
  bool taken = true;
};

/// Called while the run goes on; any of them may be left out.
struct Observers {
  /// Told of every step; of several that were taken in one pass, of the last one alone. So is `arrived`, and
  /// `interrupt` and `snapshot_due` are asked then.
  std::function<void(const StepInfo&)> on_step;
  std::function<void(const StepInfo&)> on_series;
  std::function<void(const StepInfo&)> on_record;
  /// True ends the run after the current step.
  std::function<bool()> interrupt;
  /// True ends the run after the current step as having reached its end.
  std::function<bool(const StepInfo&)> arrived;
  /// Whether `on_step` or `arrived` has to see the step that ends at this time; without it they see all of
  /// them.
  std::function<bool(Real)> looks_at;
  /// Told of every step that is chosen by its error.
  std::function<void(const StepTrial&)> on_trial;
  /// True asks for a snapshot after the current step, before anything is reported of the next.
  std::function<bool()> snapshot_due;
  std::function<void(const Snapshot&)> on_snapshot;
};

/// Steps in one pass over memory, and what that was good for.
struct TilingOutcome {
  int at_once = 0;     ///< the most that a pass takes
  Index steps = 0;     ///< that were taken in passes
  Index repeated = 0;  ///< of these, taken again one by one, since something ended the run among them
  Real alone = 0;      ///< seconds of a step by itself, the shortest that was seen
  Real in_pass = 0;    ///< seconds of a step in a pass, the mean of all
  bool pays = true;    ///< otherwise it was given up
  std::string why_one_by_one = {};  ///< where no pass takes more than one
};

struct Outcome {
  /// past_limit: the next step would have been beyond its limit.
  /// unsolved: a stage had no solution to be found, or data were no numbers; the state is that before its
  /// step.
  enum class Ending { reached, blew_up, past_limit, unsolved, interrupted };
  Ending ending = Ending::reached;
  std::string reason;  ///< of a blow-up, or of a stop before one
  /// Of a run that data ended: what they belong to, as DataError has it.
  Subject subject = Subject::unspecified;
  std::string subject_name;
  Real time = 0;
  Index steps = 0;
  Index rejected = 0;  ///< steps that were taken back
  Index jumps = 0;     ///< of the solution in time, that adaptive steps went over
  Real shortest_step = 0, longest_step = 0;
  int most_stages = 0;
  /// Of the unknown, over all steps.
  Real lowest = std::numeric_limits<Real>::infinity(), highest = -std::numeric_limits<Real>::infinity();
  Real change = 0;  ///< largest change of an unknown in the last step
  Real last_step = 0;
  Totals totals;
  Budget budget;
  Real left_by_solver = 0;
  TilingOutcome tiling;
  std::string solver;
  Index solver_iterations = 0, newton_iterations = 0;
};

/// Marches `state` from plan.start to plan.until. `state` holds the initial values without what boundaries
/// hold, and ends as the final state. Throws InputError for a plan that cannot be kept, SolverError for a
/// solver that does not go with the problem. A blow-up is an outcome, not an exception, and so are data that
/// are no numbers from some time on, and a stage that cannot be solved: fixed steps end there, adaptive ones
/// are shortened. On several ranks data that are no numbers are an exception, of the rank that met them.
///
/// With `from` the run goes on from there: `state` is replaced, and nothing before is reported again. An
/// interrupted run gives its last snapshot to `on_snapshot`.
Outcome march(Balance& balance, State& state, const Plan& plan, const Observers& observers = {},
              const Snapshot* from = nullptr);

}  // namespace williwaw
