#include "study/run/settled.hpp"

#include <cmath>

#include "williwaw/terms/advection_term.hpp"

namespace williwaw::study {

namespace {

// Up to here a steady state is found without being asked for.
constexpr Index most_unknowns = 20000;

}  // namespace

SettledWatch::SettledWatch(const Case& given, const Prepared& prepared)
    : balance_(prepared.balance.get()), fraction_(given.settled.fraction) {
  if (given.problem.equation().second_order) {
    why_not_ = "a wave does not settle: its energy tells what is left of it";
    return;
  }
  if (prepared.balance->advects() && prepared.balance->advection().flux().needs_step) {
    why_not_ = "the numerical flux looks at the step, which a steady state has not";
    return;
  }
  if (given.problem.advection_is_nonlinear() && !given.settled.ends_run) {
    why_not_ = "a steady state is not looked for where limiting or the flux law is nonlinear; [steady] would";
    return;
  }
  if (given.problem.data_change_in_time()) {
    why_not_ = "boundaries or sources change in time: there is no steady state to tell the distance from";
    return;
  }
  if (!given.settled.ends_run && given.problem.grid().count() > most_unknowns) return;
  State y = prepared.initial;
  try {
    const SteadyOutcome found = solve_steady(*prepared.balance, y, 0, {});
    if (!found.reached) {
      why_not_ = "the steady state could not be found";
      return;
    }
  } catch (const SingularProblem&) {
    why_not_ = "no boundary fixes the mean, and more comes in than goes out: there is no steady state";
    return;
  } catch (const SolverError& e) {
    why_not_ = std::string("the steady state could not be found: ") + e.what();
    return;
  }
  target_ = std::move(y);
  first_ = last_ = distance(prepared.initial);
}

Real SettledWatch::distance(const State& y) const {
  Real sum = 0, volume = 0;
  const Grid& g = balance_->grid();
  for (Index n = 0; n < g.count(); ++n) {
    const Real v = g.volume_of(n) * balance_->outline().fraction(n), d = y[n] - target_[n];
    sum += v * d * d;
    volume += v;
  }
  return std::sqrt(sum / volume);
}

bool SettledWatch::look(const StepInfo& m) {
  if (!known()) return false;
  last_ = distance(m.state);
  const bool done = last_ <= (1 - fraction_) * first_;
  if (done && !done_at_) done_at_ = m.time;
  return done;
}

}  // namespace williwaw::study
