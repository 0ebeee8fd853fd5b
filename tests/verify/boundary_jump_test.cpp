// Corners and ends of parts where two values are prescribed side by side.
#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/terms/problem_balance.hpp"
#include "williwaw/verify/boundary_jumps.hpp"

using namespace williwaw;
using namespace williwaw::verify;

namespace {

Grid square(Index n, Unknowns unknowns = Unknowns::cells) {
  return Grid({Axis::uniform("x", 0, 1, n, unknowns), Axis::uniform("y", 0, 1, n, unknowns)});
}

std::vector<BoundaryJump> jumps_of(const Problem& p, Real until = 0) {
  return boundary_jumps(ProblemBalance(p), 0, until);
}

}  // namespace

TEST_CASE("unequal values at a corner are found, and where") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    Problem p(square(9, unknowns), diffusion(2.0));
    p.boundary("west", dirichlet(75.0)).boundary("north", dirichlet(5.0)).default_boundary(insulated());
    const auto found = jumps_of(p);
    REQUIRE(found.size() == 1);
    CHECK(found[0].place.x == doctest::Approx(0));
    CHECK(found[0].place.y == doctest::Approx(1));
    CHECK(std::abs(found[0].first_value - found[0].second_value) == doctest::Approx(70));
    // The same value, or a flux on one of both, is no jump.
    Problem same(square(9, unknowns), diffusion(2.0));
    same.boundary("west", dirichlet(5.0)).boundary("north", dirichlet(5.0)).default_boundary(insulated());
    CHECK(jumps_of(same).empty());
    Problem exchange(square(9, unknowns), diffusion(2.0));
    exchange.boundary("west", dirichlet(75.0))
        .boundary("north", robin(1e6, 5.0))
        .default_boundary(insulated());
    CHECK(jumps_of(exchange).empty());
  }
}

TEST_CASE("values that vary along sides meet at the corner itself") {
  Problem p(square(7), diffusion(1.0));
  // Equal at the corner (0, 0), however steep beside it; unequal at (1, 0).
  p.boundary("west", dirichlet(0.0)).boundary("south", dirichlet([](Point at) { return std::cbrt(at.x); }));
  p.boundary("east", dirichlet(1.5)).default_boundary(insulated());
  const auto found = jumps_of(p);
  REQUIRE(found.size() == 1);
  CHECK(found[0].place.x == doctest::Approx(1));
  CHECK(found[0].place.y == doctest::Approx(0));
  CHECK(std::abs(found[0].first_value - found[0].second_value) == doctest::Approx(0.5));
}

TEST_CASE("a jump within one side, and between parts of it") {
  Problem p(square(8), diffusion(1.0));
  p.boundary("south", dirichlet([](Point at) { return at.x < 0.53 ? 1 + at.x : at.x; }))
      .default_boundary(insulated());
  const auto within = jumps_of(p);
  REQUIRE(within.size() == 1);
  CHECK(within[0].first == within[0].second);
  CHECK(within[0].place.x == doctest::Approx(0.53));
  CHECK(std::abs(within[0].first_value - within[0].second_value) == doctest::Approx(1));
  Problem parts(square(8), diffusion(1.0));
  parts.boundary("south", dirichlet(0.0)).default_boundary(insulated());
  parts.part({"door", "south", "", inside([](const Point& at) { return at.x > 0.5; }), dirichlet(3.0)});
  const auto between = jumps_of(parts);
  REQUIRE(between.size() == 1);
  CHECK(between[0].first != between[0].second);
  CHECK(between[0].place.x == doctest::Approx(0.5));
  // Steep but continuous data are none.
  Problem steep(square(8), diffusion(1.0));
  steep.boundary("south", dirichlet([](Point at) { return std::tanh(200 * (at.x - 0.53)); }))
      .default_boundary(insulated());
  CHECK(jumps_of(steep).empty());
}

TEST_CASE("jumps that come with time, in blocks and at cut-outs; none where nothing diffuses") {
  Problem swings(square(6), diffusion(1.0));
  swings.boundary("west", dirichlet([](Real t) { return std::sin(2 * M_PI * t); }))
      .boundary("north", dirichlet(0.0));
  swings.default_boundary(insulated());
  CHECK(jumps_of(swings).empty());
  CHECK(jumps_of(swings, 1).size() == 1);
  // A run that starts later is looked at between its own times.
  Problem late(square(6), diffusion(1.0));
  late.boundary("west", dirichlet([](Real t) { return std::abs(t - 2.382) < 0.02 ? 1.0 : 0.0; }))
      .boundary("north", dirichlet(0.0));
  late.default_boundary(insulated());
  CHECK(verify::boundary_jumps(ProblemBalance(late), 2, 3).size() == 1);
  CHECK(verify::boundary_jumps(ProblemBalance(late), 2, 2.3).empty());
  Grid block({Axis::uniform("x", 0, 1, 4, Unknowns::cells), Axis::uniform("y", 0, 1, 4, Unknowns::cells),
              Axis::uniform("z", 0, 1, 4, Unknowns::cells)});
  Problem three(block, diffusion(1.0));
  three.boundary("top", dirichlet(1.0)).boundary("east", dirichlet(0.0)).default_boundary(insulated());
  const auto edge = jumps_of(three);
  REQUIRE(edge.size() == 1);
  CHECK(edge[0].place.x == doctest::Approx(1));
  CHECK(edge[0].place.z == doctest::Approx(1));
  Regions regions({{"notch", inside([](const Point& p) { return p.x < 0.5 && p.y > 0.5; }), false}});
  Problem notched(square(8), diffusion(1.0), regions);
  notched.boundary("notch", dirichlet(2.0)).boundary("north", dirichlet(1.0)).default_boundary(insulated());
  CHECK(jumps_of(notched).size() == 1);
  Problem advected(square(6), transport(Velocity(1.0, 1.0)));
  advected.boundary("west", dirichlet(1.0)).boundary("south", dirichlet(0.0)).default_boundary(outflow());
  CHECK(jumps_of(advected).empty());
  Problem line(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}), diffusion(1.0));
  line.boundary("west", dirichlet(1.0)).boundary("east", dirichlet(0.0));
  CHECK(jumps_of(line).empty());
}

// Where a slanting outline meets a side its meeting point is known to a part of a cell; what the data do
// within that is no jump.
TEST_CASE("data that agree where an outline meets a side are no jump, and others are") {
  for (const Index n : {8, 13, 21}) {
    CAPTURE(n);
    const Regions regions({{"slope", inside([](const Point& p) { return p.x + p.y < 0.53; }), false}});
    const auto with = [&](Real apart) {
      Problem p(square(n), diffusion(1.0), regions);
      p.boundary("west", dirichlet([](Point at) { return 3 * at.y; }));
      p.boundary("slope", dirichlet([apart](Point at) { return 3 * 0.53 + apart + 5 * at.x; }));
      p.default_boundary(insulated());
      return jumps_of(p);
    };
    CHECK(with(0).empty());
    CHECK(with(20).size() == 1);
  }
}
