// Limited slopes: what all of them keep, and where they differ.
#include "williwaw/space/limiter.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

using namespace williwaw;

TEST_CASE("limiters vanish at extremes, are exact on straight lines, and make no new extremes") {
  CHECK(limiter_kinds().size() == 5);
  for (const auto& kind : limiter_kinds()) {
    CAPTURE(kind.name);
    const Slope slope = kind.slope;
    for (const Real a : {-2.0, -0.3, 0.0, 0.5, 4.0})
      for (const Real b : {-1.0, -0.1, 0.0, 0.7, 3.0}) {
        const Real s = slope(a, b);
        if (a * b <= 0) CHECK(s == 0);
        // Half the slope on either side stays between the neighbours (Harten, 1983).
        if (a * b > 0) CHECK(std::abs(s) <= 2 * std::min(std::abs(a), std::abs(b)) + 1e-15);
        CHECK(slope(-a, -b) == -s);
        CHECK(slope(b, a) == doctest::Approx(s));
      }
    if (kind.name != "none") CHECK(slope(0.6, 0.6) == doctest::Approx(0.6));
  }
  const Real a = 1, b = 3;
  CHECK(limiter_kind("minmod").slope(a, b) == 1);
  CHECK(limiter_kind("van-leer").slope(a, b) == doctest::Approx(1.5));
  CHECK(limiter_kind("mc").slope(a, b) == 2);
  CHECK(limiter_kind("superbee").slope(a, b) == 2);
  CHECK_THROWS_WITH_AS(limiter_kind("steep"), doctest::Contains("there are none, minmod"), InputError);
}
