#include "williwaw/time/march.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

struct Event {
  Real time;
  bool record;
  bool series;
};

std::vector<Event> events_of(const Plan& plan) {
  const Real slack = 1e-9 * (plan.until - plan.start);
  std::vector<Event> events;
  for (const Real r : plan.records)
    if (r > plan.start + slack && r < plan.until - slack) events.push_back({r, true, false});
  if (plan.series_every > 0)
    for (Index n = 1;; ++n) {
      const Real t = plan.start + static_cast<Real>(n) * plan.series_every;
      if (!(t < plan.until - slack)) break;
      events.push_back({t, false, true});
    }
  events.push_back({plan.until, true, true});
  std::ranges::stable_sort(events, {}, &Event::time);
  std::vector<Event> merged;
  for (const auto& e : events) {
    if (!merged.empty() && e.time - merged.back().time <= slack) {
      merged.back().record |= e.record;
      merged.back().series |= e.series;
    } else {
      merged.push_back(e);
    }
  }
  return merged;
}

}  // namespace

StepMisfit::StepMisfit(Real s, Real begin, Real end, Real below, Real above)
    : InputError("the step " + to_text(s) + " does not divide the time from " + to_text(begin) + " to " +
                 to_text(end) + ", at which something is recorded; " + to_text(below) +
                 (above != below ? " or " + to_text(above) : "") + " would"),
      step(s),
      from(begin),
      to(end),
      shorter(below),
      longer(above) {}

std::vector<Stretch> schedule(const Plan& plan) {
  if (!(plan.until > plan.start)) throw InputError("the end of the run must lie after its start");
  if (!(plan.step > 0) || !std::isfinite(plan.step)) throw InputError("the step must be above zero");
  if (plan.series_every < 0) throw InputError("the interval of the series must be above zero");
  const Real length = plan.until - plan.start;
  if (length / plan.step > 1e12 || (plan.series_every > 0 && length / plan.series_every > 1e8))
    throw InputError("more than 10^12 steps or 10^8 rows would be needed: is a unit wrong?");
  std::vector<Stretch> result;
  Real from = plan.start;
  for (const auto& e : events_of(plan)) {
    const Real exact = (e.time - from) / plan.step;
    Index steps = std::max<Index>(1, std::llround(exact));
    if (plan.trim) {
      steps = std::max<Index>(1, static_cast<Index>(std::ceil(exact - 1e-9)));
    } else if (std::abs(exact - static_cast<Real>(steps)) > 1e-6) {
      const Real fewer = (e.time - from) / std::max<Real>(1, std::floor(exact));
      const Real more = (e.time - from) / std::ceil(exact);
      throw StepMisfit(plan.step, from, e.time, more, fewer);
    }
    result.push_back({from, e.time, steps, e.record, e.series});
    from = e.time;
  }
  return result;
}

Real Moment::change() const {
  Real most = 0;
  for (std::size_t n = 0; n < state.size(); ++n) most = std::max(most, std::abs(state[n] - previous[n]));
  return most;
}

Outcome march(Balance& balance, State& state, const Plan& plan, const Observers& observers) {
  const std::vector<Stretch> stretches = schedule(plan);
  if (static_cast<Index>(state.size()) != balance.layout().size())
    throw InputError("the initial state does not have as many values as the problem has unknowns");
  Stepper stepper(balance, plan.scheme, plan.solver, plan.threads);
  const Real before = balance.totals(state, plan.start).content;
  if (plan.walls != Plan::Walls::initial) {
    const State given = plan.walls == Plan::Walls::mean ? state : State();
    balance.pin(plan.start, state);
    for (std::size_t n = 0; n < given.size(); ++n) state[n] = 0.5 * (state[n] + given[n]);
  }

  Outcome outcome;
  outcome.time = plan.start;
  outcome.totals = balance.totals(state, plan.start);
  outcome.budget = Budget(balance.lines(), outcome.totals, outcome.totals.content - before);
  Guard guard(balance, outcome.totals, plan.start);
  Ledger amounts(balance.lines().size());
  const auto moment = [&](Real length) {
    return Moment{outcome.steps,      outcome.time,   length,  state,
                  stepper.previous(), outcome.totals, amounts, outcome.budget};
  };
  const auto tell = [](const auto& observer, const Moment& m) {
    if (observer) observer(m);
  };
  tell(observers.on_series, moment(0));
  tell(observers.on_record, moment(0));

  for (const auto& stretch : stretches) {
    const Real length = (stretch.to - stretch.from) / static_cast<Real>(stretch.steps);
    for (Index n = 1; n <= stretch.steps; ++n) {
      const Real from = outcome.time;
      // Times are counted from the stretch's start, so that rounding does not add up.
      outcome.time = n == stretch.steps ? stretch.to : stretch.from + static_cast<Real>(n) * length;
      outcome.totals = stepper.advance(state, from, length, amounts);
      ++outcome.steps;
      outcome.last_step = length;
      outcome.budget.add(amounts, outcome.totals);
      outcome.left_by_solver += stepper.left_by_solver();
      const bool last = n == stretch.steps;
      const Moment now = moment(length);
      tell(observers.on_step, now);
      std::optional<std::string> trouble;
      if (plan.guard) trouble = guard.check(balance, outcome.totals, outcome.time, length);
      const bool stopped = !trouble && observers.interrupt && observers.interrupt();
      const bool arrived = !trouble && !stopped && observers.arrived && observers.arrived(now);
      const bool over = trouble || stopped || arrived;
      const bool counted = plan.record_every_steps > 0 && outcome.steps % plan.record_every_steps == 0;
      if (plan.series_every == 0 || (last && stretch.series) || over) tell(observers.on_series, now);
      if ((last && stretch.record) || counted || over) tell(observers.on_record, now);
      if (over || (last && &stretch == &stretches.back())) outcome.change = now.change();
      if (trouble) {
        outcome.ending = Outcome::Ending::blew_up;
        outcome.reason = *trouble;
      } else if (stopped) {
        outcome.ending = Outcome::Ending::interrupted;
      }
      if (over) {
        outcome.solver = stepper.solver_name();
        outcome.solver_iterations = stepper.solver_iterations();
        return outcome;
      }
    }
  }
  outcome.solver = stepper.solver_name();
  outcome.solver_iterations = stepper.solver_iterations();
  return outcome;
}

}  // namespace williwaw
