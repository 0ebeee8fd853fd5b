// Formulas of limited slopes, for one pair of differences or a line of them.
#pragma once

#include <cmath>

#include "williwaw/grid/types.hpp"

namespace williwaw::slopes {

struct None {
  [[gnu::always_inline]] static Real of(Real, Real) { return 0; }
};

// Branches would keep these loops from being taken several faces at a time.
[[gnu::always_inline]] inline Real least(Real a, Real b) {
  return a < b ? a : b;
}
[[gnu::always_inline]] inline Real most(Real a, Real b) {
  return a < b ? b : a;
}
// 1 where both rise, −1 where both fall, 0 elsewhere
[[gnu::always_inline]] inline Real common_sign(Real a, Real b) {
  const Real up = a > 0 && b > 0 ? 1.0 : 0.0, down = a < 0 && b < 0 ? 1.0 : 0.0;
  return up - down;
}

struct Minmod {
  [[gnu::always_inline]] static Real of(Real a, Real b) {
    return common_sign(a, b) * least(std::abs(a), std::abs(b));
  }
};

struct VanLeer {
  [[gnu::always_inline]] static Real of(Real a, Real b) {
    const Real product = a * b, both = product > 0 ? product : 0.0, sum = a + b;
    return both > 0 ? 2 * both / sum : 0.0;
  }
};

struct Monotonized {
  [[gnu::always_inline]] static Real of(Real a, Real b) {
    const Real size = least(0.5 * std::abs(a + b), 2 * least(std::abs(a), std::abs(b)));
    return common_sign(a, b) * size;
  }
};

struct Superbee {
  [[gnu::always_inline]] static Real of(Real a, Real b) {
    const Real x = std::abs(a), y = std::abs(b);
    return common_sign(a, b) * most(least(2 * x, y), least(x, 2 * y));
  }
};

}  // namespace williwaw::slopes
