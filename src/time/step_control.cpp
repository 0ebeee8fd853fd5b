#include "williwaw/time/step_control.hpp"

#include <algorithm>
#include <cmath>

#include "domain/summing.hpp"

namespace williwaw {

namespace {
constexpr Real safety = 0.9, most_growth = 4, most_shrinking = 0.2;
// By how much steps get shorter while their error stays above a half of what it was until a jump is seen. The
// error of a solution that does not jump falls in proportion to the step at least.
constexpr Real shortened_in_vain = 1e-3, has_fallen = 0.5;
}  // namespace

StepControl::StepControl(const Tolerance& tolerance, int order)
    : tolerance_(tolerance), exponent_(1 / (static_cast<Real>(order) + 1)) {
  if (!(tolerance.value > 0) || !std::isfinite(tolerance.value))
    throw InputError("the tolerance of adaptive steps must be above zero");
}

void StepControl::see(const Totals& totals, const DataBounds& data_bounds) {
  memory_.lowest = std::min({memory_.lowest, totals.lowest, data_bounds.lowest});
  memory_.highest = std::max({memory_.highest, totals.highest, data_bounds.highest});
  memory_.scale = std::max(memory_.scale, memory_.highest - memory_.lowest);
}

void StepControl::see(const std::vector<Totals>& by_unknown, const Layout& layout) {
  constexpr Real infinity = std::numeric_limits<Real>::infinity();
  memory_.ranges.resize(by_unknown.size(), {infinity, -infinity});
  starts_.clear();
  for (std::size_t u = 0; u < by_unknown.size(); ++u) {
    starts_.push_back(layout.start(u));
    auto& [lowest, highest] = memory_.ranges[u];
    lowest = std::min(lowest, by_unknown[u].lowest);
    highest = std::max(highest, by_unknown[u].highest);
  }
}

// Of an unknown that has been the same everywhere so far, its size.
Real StepControl::range_of(Index number) const {
  if (starts_.empty()) return 1;
  const auto block =
      static_cast<std::size_t>(std::ranges::upper_bound(starts_, number) - starts_.begin() - 1);
  const auto& [lowest, highest] = memory_.ranges[block];
  const Real range = highest > lowest ? highest - lowest : std::abs(highest);
  return range > 0 ? range : 1;
}

Real StepControl::tolerated() const {
  if (!tolerance_.of_range || !starts_.empty()) return tolerance_.value;
  return tolerance_.value * (memory_.scale > 0 ? memory_.scale : 1);
}

void StepControl::start(Balance& balance, const State& y, Real at, Real length, Real given) {
  if (given > 0) {
    memory_.next = given;
    return;
  }
  // A step that changes the state by about the root of the tolerance, at the rate of the start.
  const auto size = y.size();
  State rate(size), stored(size), moved = y;
  Ledger ignored(balance.lines().size());
  balance.rate(y, at, Parts::all(), rate, ignored);
  balance.storage(y, at, stored);
  const Real probe = 1e-8 * length;
  for (const Index h : balance.prescribed()) rate[h] = 0;
  for (std::size_t n = 0; n < size; ++n) stored[n] += probe * rate[n];
  try {
    balance.recover(stored, at, moved);
  } catch (const DataError&) {
    // What is stored does not tell the unknown everywhere: a short step, from which the next ones grow.
    memory_.next = 1e-6 * length;
    return;
  }
  const Real sum = sum_over(balance.reductions(), [&](Index n) {
    const Real change = (moved[n] - y[n]) / range_of(n);
    return change * change;
  });
  const Real speed = std::sqrt(sum / static_cast<Real>(balance.reductions().count())) / probe;
  const Real fraction = std::pow(tolerated(), exponent_) *
                        std::pow(starts_.empty() ? std::max(memory_.scale, 1e-300) : 1, 1 - exponent_);
  memory_.next = speed > 0 ? std::min(0.1 * length, 0.1 * fraction / speed) : 1e-3 * length;
}

Real StepControl::measure(const State& error, const Reductions& over, std::size_t free_unknowns) const {
  const Real sum = sum_over(over, [&](Index n) {
    const Real relative = error[n] / range_of(n);
    return relative * relative;
  });
  return std::sqrt(sum / static_cast<Real>(std::max<std::size_t>(free_unknowns, 1))) / tolerated();
}

bool StepControl::jumps(Real length, Real error) {
  if (stalled_length_ == 0 || error < has_fallen * stalled_error_) {
    stalled_length_ = length;
    stalled_error_ = error;
  }
  return length <= shortened_in_vain * stalled_length_;
}

bool StepControl::judge(Real length, Real error) {
  if (!std::isfinite(error)) {
    memory_.next = most_shrinking * length;
    memory_.rejected = true;
    return false;
  }
  const Real e = std::max(error, 1e-10);
  if (error > 1 && jumps(length, error)) {
    memory_.next = length;
    memory_.last_error = 0;
    memory_.rejected = false;
    ++memory_.jumps;
    stalled_length_ = 0;
    return true;
  }
  if (error > 1) {
    memory_.next = length * std::max(most_shrinking, safety * std::pow(e, -exponent_));
    memory_.rejected = true;
    return false;
  }
  Real factor = safety * std::pow(e, -0.7 * exponent_);
  if (memory_.last_error > 0) factor *= std::pow(memory_.last_error, 0.4 * exponent_);
  factor = std::clamp(factor, most_shrinking, memory_.rejected ? 1.0 : most_growth);
  memory_.next = length * factor;
  memory_.last_error = e;
  memory_.rejected = false;
  stalled_length_ = 0;
  return true;
}

bool StepControl::hopeless(Real length, Real at) const {
  return !(length > 1e-14 * std::max(std::abs(at), 1e-300));
}

}  // namespace williwaw
