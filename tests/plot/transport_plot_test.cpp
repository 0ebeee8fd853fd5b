// Strips and arrows of the advected quantity round an islet.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "support/folder.hpp"
#include "support/handed.hpp"
#include "williwaw/plot/figure.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::plot;
using williwaw::test::fresh_folder;

TEST_CASE("strips show several times with one bar, arrows the flow; both refuse what they cannot show") {
  const char* const islet = R"case(
title = "Round an islet"
[grid]
x = { from = "0 m", to = "3 m", cells = 24 }
y = { from = "0 m", to = "1 m", cells = 12 }
[region.islet]
where = "(x - 1)^2 + (y - 0.5)^2 < 0.04"
active = false
[equation]
kind = "transport"
velocity = { x = "0.5 m/s", y = "0 m/s", divergence_free = true }
unknown = { name = "dye", unit = "g/m^3" }
[initial]
value = { formula = "exp(-20*((x - 0.5)^2 + (y - 0.5)^2))", unit = "g/m^3" }
[boundary]
west = { dirichlet = "0 g/m^3" }
east = "outflow"
default = "insulated"
[space]
reconstruction = "van-leer"
[time]
until = "2 s"
scheme = "ssprk3"
step = { courant = 0.4 }
[record]
every = "0.5 s"
)case";
  const auto folder = fresh_folder("strip");
  const casefile::Case c = casefile::read_case_text(islet, folder / "islet.toml");
  study::Prepared prepared = study::prepare(c);
  study::run_case(c, prepared, {folder / "out", {}});
  const RunFolder run(folder / "out");
  const test::Handed keeper("strip");
  for (const char* kind : {"strip", "arrows"}) {
    CAPTURE(kind);
    casefile::FigureRequest r;
    r.kind = kind;
    const auto files = draw(run, r);
    REQUIRE(files.size() == 1);
    const auto images = keeper.last().with("image");
    CHECK(images.size() == (r.kind == "strip" ? 5 : 1));
    // The islet is left out, the dye is somewhere.
    for (const auto& image : images) {
      CHECK(std::ranges::any_of(image.values, [](Real v) { return std::isnan(v); }));
      CHECK(std::ranges::any_of(image.values, [](Real v) { return v > 0.1; }));
    }
  }
  casefile::FigureRequest arrows;
  arrows.kind = "arrows";
  arrows.times = {0, 1};
  CHECK(draw(run, arrows).size() == 2);
  // Water goes round the islet: across the flow beside it, and nowhere inside.
  const auto velocity = run.fields().velocity(0);
  REQUIRE(velocity);
  const Grid& g = run.fields().grid();
  CHECK((*velocity)[1][g.containing({0.8, 0.62, 0})] > 0.03);
  CHECK((*velocity)[1][g.containing({0.8, 0.38, 0})] < -0.03);
  casefile::FigureRequest many;
  many.kind = "strip";
  many.times.assign(40, 0);
  for (std::size_t n = 0; n < 40; ++n) many.times[n] = 0.05 * static_cast<Real>(n);
  CHECK(draw(run, many).size() == 1);  // five records stand for all of them
}
