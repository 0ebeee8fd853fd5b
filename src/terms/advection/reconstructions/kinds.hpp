// What a file of a reconstruction defines: NAME(), and a line KIND(NAME) in list.inc.
#pragma once

#include <cmath>

#include "williwaw/grid/clones.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw::reconstructions {

#define KIND(name) ReconstructionKind name();
#include "list.inc"
#undef KIND

// Branches would keep these loops from being taken several faces at a time.
WILLIWAW_INLINE inline Real least(Real a, Real b) {
  return a < b ? a : b;
}
WILLIWAW_INLINE inline Real most(Real a, Real b) {
  return a < b ? b : a;
}
/// 1 where both rise, −1 where both fall, 0 elsewhere.
WILLIWAW_INLINE inline Real common_sign(Real a, Real b) {
  const Real up = a > 0 && b > 0 ? 1.0 : 0.0, down = a < 0 && b < 0 ? 1.0 : 0.0;
  return up - down;
}

/// Values on both sides of faces from the slopes S::of(before, after); called by a function with
/// WILLIWAW_CLONES.
template <class S>
WILLIWAW_INLINE inline void by_slope(const Rows& u, Index count, Real* __restrict left,
                                     Real* __restrict right) {
  const Real *a = u[1], *b = u[2], *c = u[3], *d = u[4];
#pragma omp simd
  for (Index i = 0; i < count; ++i) {
    const Real middle = c[i] - b[i];
    left[i] = b[i] + 0.5 * S::of(b[i] - a[i], middle);
    right[i] = c[i] - 0.5 * S::of(middle, d[i] - c[i]);
  }
}

/// The same for the two ends of each cell, with one slope for both.
template <class S>
WILLIWAW_INLINE inline void ends_by_slope(const Real* before, const Real* here, const Real* after,
                                          Index count, Real* __restrict low, Real* __restrict high) {
#pragma omp simd
  for (Index i = 0; i < count; ++i) {
    const Real half = 0.5 * S::of(here[i] - before[i], after[i] - here[i]);
    low[i] = here[i] - half;
    high[i] = here[i] + half;
  }
}

/// The symbol of slopes where nothing limits them: half the difference of both neighbours.
inline std::array<Real, 2> central_symbol(Real angle) {
  return {1, 0.5 * std::sin(angle)};
}

/// Of slopes of up to φ times the smaller difference: monotone with forward Euler up to 1/(1 + φ/2).
inline constexpr Real courant_of_slope(Real most) {
  return 1 / (1 + 0.5 * most);
}

}  // namespace williwaw::reconstructions
