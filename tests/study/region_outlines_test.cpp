// Outlines of regions, against what is known of circles and corners.
#include "../src/study/run/region_outlines.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/casefile/case.hpp"

using namespace williwaw;
using namespace williwaw::study;

TEST_CASE("outlines of regions lie where regions end, round and straight, of materials too") {
  const casefile::Case c = casefile::read_case_text(R"case(
[grid]
x = { from = 0, to = 3, cells = 30 }
y = { from = 0, to = 2, cells = 20 }
[region.pile]
where = "(x - 1)^2 + (y - 0.9)^2 < 0.36"
active = false
[region.sand]
where = "x > 2.017 && y < 1.513"
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = 0
[boundary]
default = "insulated"
[time]
until = 1
scheme = "crank-nicolson"
step = 0.1
)case",
                                                    "outlines.toml");
  const auto outlines = region_outlines(c);
  REQUIRE(outlines.size() == 2);
  CHECK(outlines[0].region == "pile");
  CHECK_FALSE(outlines[0].active);
  CHECK(outlines[1].active);
  const auto each = [](const store::RegionOutline& outline, const auto& look) {
    REQUIRE(outline.pieces.size() % 4 == 0);
    for (std::size_t n = 0; n < outline.pieces.size(); n += 4)
      look(outline.pieces[n], outline.pieces[n + 1], outline.pieces[n + 2], outline.pieces[n + 3]);
  };
  Real round = 0, straight = 0;
  each(outlines[0], [&](Real x1, Real y1, Real x2, Real y2) {
    CHECK(std::hypot(x1 - 1, y1 - 0.9) == doctest::Approx(0.6).epsilon(1e-5));
    CHECK(std::hypot(x2 - 1, y2 - 0.9) == doctest::Approx(0.6).epsilon(1e-5));
    round += std::hypot(x2 - x1, y2 - y1);
  });
  CHECK(round == doctest::Approx(2 * M_PI * 0.6).epsilon(1e-4));
  // The sides of the domain are no outline; a corner is cut by less than a square of the raster.
  each(outlines[1], [&](Real x1, Real y1, Real x2, Real y2) {
    CHECK(std::min(std::abs(x1 - 2.017), std::abs(y1 - 1.513)) < 1e-5);
    CHECK(std::min(std::abs(x2 - 2.017), std::abs(y2 - 1.513)) < 1e-5);
    straight += std::hypot(x2 - x1, y2 - y1);
  });
  CHECK(straight == doctest::Approx(1.513 + 3 - 2.017).epsilon(3e-3));
}
