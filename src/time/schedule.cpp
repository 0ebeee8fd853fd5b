#include <algorithm>
#include <cmath>

#include "williwaw/time/march.hpp"

namespace williwaw {

namespace {

// A step as messages print it, and as people write it from there, is meant to fit.
constexpr Real six_digits = 5e-6;

struct Event {
  Real time;
  bool record;
};

std::vector<Event> events_of(const Plan& plan) {
  const Real slack = 1e-9 * (plan.until - plan.start);
  std::vector<Event> events;
  for (const Real r : plan.records)
    if (r > plan.start + slack && r < plan.until - slack) events.push_back({r, true});
  for (const Real s : plan.stops)
    if (s > plan.start + slack && s < plan.until - slack) events.push_back({s, false});
  events.push_back({plan.until, true});
  std::ranges::stable_sort(events, {}, &Event::time);
  std::vector<Event> merged;
  for (const auto& e : events) {
    if (!merged.empty() && e.time - merged.back().time <= slack) {
      merged.back().record |= e.record;
    } else {
      merged.push_back(e);
    }
  }
  return merged;
}

}  // namespace

StepMisfit::StepMisfit(Real s, Real begin, Real end, Real below, Real above)
    : InputError("the step " + to_text(s) + " does not divide the time from " + to_text(begin) + " to " +
                 to_text(end) + " between record times; possible: " + to_text(below) +
                 (above != below ? " or " + to_text(above) : "")),
      step(s),
      from(begin),
      to(end),
      shorter(below),
      longer(above) {}

std::vector<Interval> schedule(const Plan& plan) {
  if (!(plan.until > plan.start)) throw InputError("the end of the run must lie after its start");
  if (plan.adaptive ? !(plan.step >= 0) : !(plan.step > 0) || !std::isfinite(plan.step))
    throw InputError("the step must be above zero");
  if (plan.series_every < 0) throw InputError("the interval of the series must be above zero");
  const Real length = plan.until - plan.start;
  if ((!plan.adaptive && length / plan.step > 1e12) ||
      (plan.series_every > 0 && length / plan.series_every > 1e8))
    throw InputError("more than 10^12 steps or 10^8 rows would be needed: is a unit wrong?");
  std::vector<Interval> result;
  Real from = plan.start;
  for (const auto& e : events_of(plan)) {
    if (plan.adaptive) {
      // How many steps it takes is found on the way.
      result.push_back({from, e.time, 0, e.record});
      from = e.time;
      continue;
    }
    const Real exact = (e.time - from) / plan.step;
    Index steps = std::max<Index>(1, std::llround(exact));
    if (plan.trim) {
      // As many as are needed and no fewer; a step that fits but for rounding is taken as it is.
      steps = std::max<Index>(1, static_cast<Index>(std::ceil(exact * (1 - 1e-11))));
    } else if (std::abs(exact - static_cast<Real>(steps)) > std::max(1e-6, six_digits * exact)) {
      const Real fewer = (e.time - from) / std::max<Real>(1, std::floor(exact));
      const Real more = (e.time - from) / std::ceil(exact);
      throw StepMisfit(plan.step, from, e.time, more, fewer);
    }
    result.push_back({from, e.time, steps, e.record});
    from = e.time;
  }
  return result;
}

}  // namespace williwaw
