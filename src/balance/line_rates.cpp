#include "domain/summing.hpp"
#include "williwaw/balance/term.hpp"

namespace williwaw {

namespace {

WILLIWAW_CLONES Real add_flows(Index first, Index end, const Real* densities, const Real* widths, Real across,
                               Real* __restrict out) {
  return segment_sum(first, end, [=](Index i) WILLIWAW_INLINE {
    const Real flow = across * widths[i] * densities[i];
    out[i] += flow;
    return flow;
  });
}

WILLIWAW_CLONES Real add_steps(Index first, Index end, const Real* densities, const Real* widths, Real across,
                               Real step, Real* __restrict out) {
  return segment_sum(first, end, [=](Index i) WILLIWAW_INLINE {
    out[i] += step * densities[i];
    return across * widths[i] * densities[i];
  });
}

WILLIWAW_CLONES Real amounts(Index first, Index end, const Real* densities, const Real* widths) {
  return segment_sum(first, end, [=](Index i) WILLIWAW_INLINE { return widths[i] * densities[i]; });
}

}  // namespace

Real LineRates::amount_of(Index first, Index end, const Real* densities, const Real* widths) {
  return amounts(first, end, densities, widths);
}

Real LineRates::add_densities(Index first, Index end, const Real* densities, const Real* widths, Real across,
                              Real per_volume) const {
  if (sum_) add_steps(first, end, densities, widths, across, step_of_sum_ / per_volume, sum_);
  return step_ == 0 ? add_flows(first, end, densities, widths, across, out_)
                    : add_steps(first, end, densities, widths, across, step_ / per_volume, out_);
}

}  // namespace williwaw
