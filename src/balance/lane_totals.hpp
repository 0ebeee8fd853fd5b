// Sums and extremes of a segment, taken side by side.
#pragma once

#include <cmath>

#include "domain/summing.hpp"
#include "williwaw/balance/balance.hpp"

namespace williwaw {

// Sums and extremes of a segment, side by side.
struct LaneTotals {
  Real first[sum_lanes], second[sum_lanes], third[sum_lanes], lowest[sum_lanes], highest[sum_lanes];

  [[gnu::always_inline]] LaneTotals() {
    for (Index k = 0; k < sum_lanes; ++k) {
      first[k] = second[k] = third[k] = 0;
      lowest[k] = INFINITY;
      highest[k] = -INFINITY;
    }
  }
  [[gnu::always_inline]] void see(Index k, Real v) {
    lowest[k] = v < lowest[k] ? v : lowest[k];
    highest[k] = v > highest[k] ? v : highest[k];
  }
  [[gnu::always_inline]] void extremes(Totals& totals) const {
    const Real low = lowest_of_lanes(lowest), high = highest_of_lanes(highest);
    totals.lowest = low < totals.lowest ? low : totals.lowest;
    totals.highest = high > totals.highest ? high : totals.highest;
  }
};

}  // namespace williwaw
