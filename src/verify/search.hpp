// Searches for the largest step that holds: bounded in cost, whatever the numbers are.
#pragma once

#include <cmath>
#include <limits>

#include "williwaw/grid/types.hpp"

namespace williwaw::verify {

/// Largest step for which `holds`, which holds for short steps and fails from some step on. Starts at
/// `first`, goes on by `ratio` and calls what still holds at `most` times the first one infinite. 0 where
/// `holds` fails at `first` already, or `first` is no step (zero, infinite, not a number: nothing is known to
/// hold).
template <class Holds>
Real largest_step(const Holds& holds, Real first, Real ratio, Real most) {
  if (!(first > 0) || !std::isfinite(first) || !holds(first)) return 0;
  Real low = first, high = first * ratio;
  while (holds(high)) {
    low = high;
    high *= ratio;
    if (!(high < most * first)) return std::numeric_limits<Real>::infinity();
  }
  for (int i = 0; i < 60; ++i) (holds(0.5 * (low + high)) ? low : high) = 0.5 * (low + high);
  return low;
}

}  // namespace williwaw::verify
