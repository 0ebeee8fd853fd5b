// Sums and extremes of a segment, taken side by side.
#pragma once

#include <cmath>

#include "domain/summing.hpp"
#include "williwaw/balance/balance.hpp"

namespace williwaw {

// Sums and extremes of a segment, side by side.
struct LaneTotals {
  Real first[sum_lanes], second[sum_lanes], third[sum_lanes], lowest[sum_lanes], highest[sum_lanes];

  WILLIWAW_INLINE LaneTotals() {
    for (Index k = 0; k < sum_lanes; ++k) {
      first[k] = second[k] = third[k] = 0;
      lowest[k] = INFINITY;
      highest[k] = -INFINITY;
    }
  }
  WILLIWAW_INLINE void see(Index k, Real v) {
    lowest[k] = v < lowest[k] ? v : lowest[k];
    highest[k] = v > highest[k] ? v : highest[k];
  }
  WILLIWAW_INLINE void extremes(Totals& totals) const {
    const Real low = lowest_of_lanes(lowest), high = highest_of_lanes(highest);
    totals.lowest = low < totals.lowest ? low : totals.lowest;
    totals.highest = high > totals.highest ? high : totals.highest;
  }
};

// What is summed up of a line: the content, its size and the integral. Of a line that is alike between its
// ends the values alone are, and weighted once; `content` and `integral` are those of a value of 1.
struct EvenSums {
  Real content, integral;
  WILLIWAW_INLINE void add(LaneTotals& lanes, Index, Index k, Real v) const {
    lanes.second[k] += std::abs(v);
    lanes.third[k] += v;
  }
  WILLIWAW_INLINE void close(const LaneTotals& lanes, Totals& totals, Index) const {
    const Real sum = sum_of_lanes(lanes.third);
    totals.content += content * sum;
    totals.gross += content * sum_of_lanes(lanes.second);
    totals.integral += integral * sum;
  }
};
// Where capacities are a factor of the widths.
struct SumsByWidth {
  const Real* widths;
  Real content, integral;
  WILLIWAW_INLINE void add(LaneTotals& lanes, Index i, Index k, Real v) const {
    lanes.second[k] += widths[i] * std::abs(v);
    lanes.third[k] += widths[i] * v;
  }
  WILLIWAW_INLINE void close(const LaneTotals& lanes, Totals& totals, Index segment) const {
    EvenSums{content, integral}.close(lanes, totals, segment);
  }
};
struct SumsByCapacity {
  const Real *capacity, *widths;
  Real integral;
  WILLIWAW_INLINE void add(LaneTotals& lanes, Index i, Index k, Real v) const {
    lanes.first[k] += capacity[i] * v;
    lanes.second[k] += capacity[i] * std::abs(v);
    lanes.third[k] += widths[i] * v;
  }
  WILLIWAW_INLINE void close(const LaneTotals& lanes, Totals& totals, Index) const {
    totals.content += sum_of_lanes(lanes.first);
    totals.gross += sum_of_lanes(lanes.second);
    totals.integral += integral * sum_of_lanes(lanes.third);
  }
};

}  // namespace williwaw
