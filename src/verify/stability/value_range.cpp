#include "williwaw/verify/value_range.hpp"

#include <algorithm>

#include "williwaw/grid/expect.hpp"

namespace williwaw::verify {

namespace {

// What the maximum principle does not cover, in words; empty where it holds.
std::string unbounded_by(Discretization& balance, Real at) {
  if (balance.capabilities().reacts && !balance.data_bounds(at).known) return "the reaction may grow";
  if (balance.problem().equation().diffusion.upward) return "gravity moves what is stored";
  if (balance.problem().equation().stores_nonlinearly()) {
    const DataBounds data = balance.data_bounds(at);
    if (data.raising > 0 || data.lowering > 0) return "sources and fluxes act on a storage that depends on u";
  }
  const bool law = balance.advects() && balance.advection().law();
  const auto closures = balance.closures_at(at);
  for (const EvaluatedBoundaryClosure& boundary : *closures) {
    const DataBounds& data_bounds = boundary.data_bounds();
    const std::string& name = boundary.section().name;
    if (law && !boundary.section().boundary.advective_boundary())
      return "'" + name + "' is closed to the flux, which can pile up there";
    if (!data_bounds.known) return "no bound for '" + name + "' imposes";
    if (data_bounds.raising > 0 || data_bounds.lowering > 0) return "'" + name + "' supplies a flux";
  }
  return "";
}

}  // namespace

ValueRange values_allowed(Discretization& balance, const State& initial, Real from, Real until) {
  expect(static_cast<Index>(initial.size()) == balance.layout().size(),
         "values_allowed: a state of the balance");
  ValueRange result;
  Range& range = result.values;
  range = {std::numeric_limits<Real>::infinity(), -std::numeric_limits<Real>::infinity()};
  for (Index n = 0; n < balance.grid().count(); ++n)
    if (balance.outline().active(n)) {
      range.lowest = std::min(range.lowest, initial[static_cast<std::size_t>(n)]);
      range.highest = std::max(range.highest, initial[static_cast<std::size_t>(n)]);
    }
  const bool swings = balance.capabilities().data_change && until > from;
  const int times = swings ? 33 : 1;
  Real raising = 0, lowering = 0;
  for (int n = 0; n < times; ++n) {
    const Real at = swings ? from + (until - from) * n / (times - 1) : from;
    const DataBounds now = balance.data_bounds(at);
    range.lowest = std::min(range.lowest, now.lowest);
    range.highest = std::max(range.highest, now.highest);
    raising = std::max(raising, now.raising);
    lowering = std::max(lowering, now.lowering);
    if (result.bounded) result.why_not = unbounded_by(balance, at);
    result.bounded = result.why_not.empty();
  }
  if (!result.bounded) return result;
  const Real length = std::max(until - from, 0.0);
  range.highest += length * raising;
  range.lowest -= length * lowering;
  return result;
}

}  // namespace williwaw::verify
