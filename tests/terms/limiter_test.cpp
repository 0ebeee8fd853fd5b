// Limited slopes: what all of them keep, and where they differ.
#include "williwaw/terms/reconstruction.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "williwaw/terms/reconstruction.hpp"

using namespace williwaw;

TEST_CASE("limiters vanish at extremes, are exact on straight lines, and make no new extremes") {
  CHECK(limiter_kinds().size() < reconstruction_kinds().size());
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
    if (kind.name != "first-order") CHECK(slope(0.6, 0.6) == doctest::Approx(0.6));
  }
  const Real a = 1, b = 3;
  CHECK(limiter_kind("minmod").slope(a, b) == 1);
  CHECK(limiter_kind("van-leer").slope(a, b) == doctest::Approx(1.5));
  CHECK(limiter_kind("monotonized-central").slope(a, b) == 2);
  CHECK(limiter_kind("superbee").slope(a, b) == 2);
  CHECK_THROWS_WITH_AS(limiter_kind("steep"), doctest::Contains("there are first-order, minmod"), InputError);
}

TEST_CASE("lines of faces take the same slopes, on even axes and on uneven ones whose distances are alike") {
  // Differences of all signs and sizes, more faces than any vector unit takes at a time.
  const Index faces = 37;
  std::vector<Real> u(static_cast<std::size_t>(faces) + 5);
  for (std::size_t i = 0; i < u.size(); ++i)
    u[i] = std::sin(1.7 * static_cast<Real>(i)) + 0.02 * static_cast<Real>(i * i % 11);
  u[9] = u[10] = u[11];
  Rows rows{};
  for (std::size_t k = 0; k < 6; ++k) rows[k] = u.data() + k;
  std::vector<Real> left(static_cast<std::size_t>(faces)), right = left, left_uneven = left,
                                                           right_uneven = left;
  const std::vector<Real> ones(left.size(), 1.0), halves(left.size(), 0.5);
  const FaceSpacing spacing{{ones.data(), ones.data(), ones.data()}, {halves.data(), halves.data()}, 1};
  for (const LimiterKind& limiter : limiter_kinds()) {
    CAPTURE(limiter.name);
    const ReconstructionKind& kind = reconstruction_kind(limiter.name);
    kind.uniform(rows, faces, left.data(), right.data());
    reconstruct_uneven(kind, rows, spacing, faces, left_uneven.data(), right_uneven.data());
    for (std::size_t i = 0; i < left.size(); ++i) {
      const Real middle = u[i + 3] - u[i + 2];
      const Real from_below = u[i + 2] + 0.5 * limiter.slope(u[i + 2] - u[i + 1], middle),
                 from_above = u[i + 3] - 0.5 * limiter.slope(middle, u[i + 4] - u[i + 3]);
      CHECK(left[i] == doctest::Approx(from_below).epsilon(1e-14));
      CHECK(right[i] == doctest::Approx(from_above).epsilon(1e-14));
      CHECK(left_uneven[i] == doctest::Approx(from_below).epsilon(1e-14));
      CHECK(right_uneven[i] == doctest::Approx(from_above).epsilon(1e-14));
    }
  }
}
