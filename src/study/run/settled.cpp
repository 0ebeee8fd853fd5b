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
    why_not_ = "not defined for a wave; see the energy budget";
    return;
  }
  if (prepared.balance->advects() && prepared.balance->advection().flux().needs_step) {
    why_not_ = "not computed (numerical flux depends on the step)";
    return;
  }
  if (given.problem.advection_is_nonlinear() && !given.settled.ends_run) {
    why_not_ = "not computed (nonlinear limiter or flux); use [steady]";
    return;
  }
  if (prepared.balance->unknowns().size() > 1) {
    why_not_ = "not computed (several unknowns); use [steady]";
    return;
  }
  // What seeps or ponds in the end follows from how it came there.
  if (given.problem.limits_fluxes() && !given.settled.ends_run) {
    why_not_ = "not computed (a boundary's flux has a limit)";
    return;
  }
  if (given.problem.data_change_in_time()) {
    why_not_ = "no steady state: boundaries or sources vary in time";
    return;
  }
  if (!given.settled.ends_run && given.problem.grid().count() > most_unknowns) return;
  State y = prepared.initial;
  try {
    const SteadyOutcome found = solve_steady(*prepared.balance, y, 0, {});
    if (!found.reached) {
      why_not_ = "steady state not found";
      return;
    }
  } catch (const SingularProblem&) {
    why_not_ = "no steady state: the mean is not fixed and inflow exceeds outflow";
    return;
  } catch (const SolverError& e) {
    why_not_ = std::string("steady state not found: ") + e.what();
    return;
  }
  target_ = std::move(y);
  first_ = last_ = distance(prepared.initial);
}

Real SettledWatch::distance(const State& y) const {
  Real sum = 0, volume = 0;
  const Grid& g = balance_->grid();
  for (Index n = 0; n < g.count(); ++n) {
    const Real v = g.volume_of(n) * balance_->outline().volume_fraction(n), d = y[n] - target_[n];
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
