#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

namespace {

Grid square(Index n, Unknowns u) {
  return Grid({Axis::uniform("x", -1, 1, n, u), Axis::uniform("y", -1, 1, n, u)});
}

Regions disc(Real radius, Point middle) {
  return Regions(
      {{"disc", inside([=](Point p) { return std::hypot(p.x - middle.x, p.y - middle.y) < radius; }), false,
        "", false}});
}

Real order(Real coarse, Real fine) {
  return std::log2(std::abs(coarse) / std::abs(fine));
}

// Open faces and exposed ones of a control volume enclose it: their outward areas sum to zero.
Real worst_gap(const Grid& g, const Outline& o) {
  std::vector<Point> sums(static_cast<std::size_t>(g.count()));
  for (Index n = 0; n < g.count(); ++n)
    for (int a = 0; a < g.dimension(); ++a)
      for (const bool up : {false, true})
        sums[n][g.direction(a)] += (up ? 1 : -1) * o.open(n, a, up) * g.boundary_area({a, up}, n);
  for (const Facet& f : o.facets())
    for (int s = 0; s < 3; ++s) sums[f.unknown][s] += f.area * f.normal[s];
  Real worst = 0;
  for (Index n = 0; n < g.count(); ++n)
    if (o.active(n)) worst = std::max({worst, std::abs(sums[n].x), std::abs(sums[n].y), std::abs(sums[n].z)});
  return worst;
}

}  // namespace

TEST_CASE("area and length of a disc cut out by formula converge at second order, on cells and nodes") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    std::vector<Real> area, length;
    for (const Index n : {16, 32, 64}) {
      const OutlineMeasure m = Outline(square(n, u), disc(0.6, {0.03, -0.02})).measure();
      area.push_back(m.cut[0] - M_PI * 0.36);
      length.push_back(m.exposed[0] - 2 * M_PI * 0.6);
      CHECK(m.domain == doctest::Approx(4 - m.cut[0]));
    }
    CHECK(order(area[0], area[2]) / 2 > 1.8);
    CHECK(order(length[0], length[2]) / 2 > 1.7);
  }
}

TEST_CASE("a ball cut out of a block: volume and surface") {
  const Grid g({Axis::uniform("x", -1, 1, 12, Unknowns::cells),
                Axis::uniform("y", -1, 1, 12, Unknowns::cells),
                Axis::uniform("z", -1, 1, 12, Unknowns::cells)});
  const Regions ball(
      {{"ball", inside([](Point p) { return p.x * p.x + p.y * p.y + p.z * p.z < 0.49; }), false, "", false}});
  const Outline o(g, ball);
  CHECK(o.measure().cut[0] == doctest::Approx(4 * M_PI / 3 * 0.343).epsilon(0.01));
  CHECK(o.measure().exposed[0] == doctest::Approx(4 * M_PI * 0.49).epsilon(0.01));
  CHECK(worst_gap(g, o) < 0.05 * 4 / 144.0);
}

// Slivers of less than a thousandth of a box go to a neighbour and take their little faces with them.
TEST_CASE("cut control volumes are closed: a uniform flow along an outline stays one") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g = square(20, u);
    CHECK(worst_gap(g, Outline(g, disc(0.55, {0.03, -0.02}))) < 0.05 * 0.1);
    // Slanted and touching the boundaries.
    const Regions half({{"half", inside([](Point p) { return p.y > 0.3 * p.x + 0.21; }), false, "", false}});
    CHECK(worst_gap(g, Outline(g, half)) < 0.05 * 0.1);
  }
}

TEST_CASE("outlines along faces of the grid are exact, whichever way the formula treats its edge") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes})
    for (const bool closed : {false, true}) {
      const Grid g = square(8, u);
      const Regions corner({{"corner", inside([closed](Point p) {
                               return closed ? p.x >= 0.25 && p.y >= -0.5 : p.x > 0.25 && p.y > -0.5;
                             }),
                             false, "", false}});
      const Outline o(g, corner);
      CHECK(o.measure().cut[0] == doctest::Approx(0.75 * 1.5).epsilon(1e-9));
      CHECK(o.measure().exposed[0] == doctest::Approx(0.75 + 1.5).epsilon(1e-9));
      Real left = 0;
      for (Index n = 0; n < g.count(); ++n) left += g.volume_of(n) * o.volume_fraction(n);
      CHECK(left == doctest::Approx(4 - 0.75 * 1.5).epsilon(1e-9));
      for (const Facet& f : o.facets()) {
        CHECK(f.straight);
        CHECK(f.distance == doctest::Approx(u == Unknowns::cells ? 0.125 : 0));
      }
    }
}

TEST_CASE("a cut-out half as wide as an unknown's box, or somewhat wider, shows both of its sides") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes})
    for (const Real width : {0.125, 0.2})
      for (const Real from : {0.25, 0.375, -0.125}) {
        CAPTURE(static_cast<int>(u));
        CAPTURE(width);
        CAPTURE(from);
        // Boxes are 0.25 wide.
        const Grid g = square(8, u);
        const Regions strip({{"strip", inside([=](Point p) {
                                return p.x > from && p.x < from + width && p.y > -0.5 && p.y < 0.5;
                              }),
                              false, "", false}});
        const Outline o(g, strip);
        CHECK(o.measure().cut[0] == doctest::Approx(width).epsilon(1e-6));
        Real west = 0, east = 0, south = 0, north = 0;
        for (const Facet& f : o.facets()) {
          // Normals point out of the domain, into the strip.
          west += f.area * std::max(f.normal.x, 0.0);
          east += f.area * std::max(-f.normal.x, 0.0);
          south += f.area * std::max(f.normal.y, 0.0);
          north += f.area * std::max(-f.normal.y, 0.0);
        }
        CHECK(west == doctest::Approx(1).epsilon(1e-6));
        CHECK(east == doctest::Approx(1).epsilon(1e-6));
        CHECK(south == doctest::Approx(width).epsilon(1e-6));
        CHECK(north == doctest::Approx(width).epsilon(1e-6));
      }
}

TEST_CASE(
    "what a held outline leaves of a cell behind it goes to the neighbour, the first cell as well as the "
    "last") {
  // The boundary stands at 0.13, or at 0.87: of the second cell from the end less than half is left.
  for (const bool mirrored : {false, true}) {
    const Grid g({Axis::uniform("x", 0, 1, 10, Unknowns::cells)});
    const Regions ice({{"ice", inside([mirrored](Point p) { return mirrored ? p.x < 0.87 : p.x > 0.13; }),
                        false, "", false}});
    Problem p(g, diffusion(5.0), ice);
    p.initial = 2.0;
    p.boundary("ice", dirichlet(3.0)).default_boundary(insulated());
    ProblemBalance balance(p);
    const State y = balance.initial_state();
    CHECK(balance.totals(y, 0).content == doctest::Approx(2 * 0.13).epsilon(1e-8));
    CHECK(balance.outline().volume_fraction(mirrored ? 9 : 0) == doctest::Approx(1.3).epsilon(1e-8));
    State f(y.size());
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    // From the boundary to the middle of the last whole cell.
    CHECK(f[mirrored ? 9 : 0] == doctest::Approx(5 * (3.0 - 2.0) / 0.08).epsilon(1e-8));
    CHECK(ledger.sum() == doctest::Approx(5 * (3.0 - 2.0) / 0.08).epsilon(1e-8));
  }
}

TEST_CASE("the first unknown of a grid is one like any other beside outlines") {
  // All but one cell is cut out, along a face of the grid.
  for (const bool mirrored : {false, true}) {
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells)}), diffusion(2.0),
        Regions({{"ice", inside([mirrored](Point q) { return mirrored ? q.x < 0.9 : q.x > 0.1; }), false}}));
    p.initial = 1.0;
    p.boundary("ice", dirichlet(3.0)).default_boundary(insulated());
    ProblemBalance balance(p);
    State f(10);
    Ledger ledger(balance.lines().size());
    balance.rate(State(10, 1.0), 0, Parts::all(), f, ledger);
    CHECK(f[mirrored ? 9 : 0] == doctest::Approx(2 * (3.0 - 1.0) / 0.05));
  }
  // A bar across a part of the face between the first two cells, and the same turned by half a turn.
  const auto rates = [](bool turned) {
    const Regions bar({{"bar", inside([turned](Point q) {
                          const Real x = turned ? 1 - q.x : q.x, y = turned ? 1 - q.y : q.y;
                          return x > 0.05 && x < 0.17 && y < 0.06;
                        }),
                        false}});
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells), Axis::uniform("y", 0, 1, 10, Unknowns::cells)}),
        diffusion(1.0), bar);
    p.boundary("bar", robin(3.0, 2.0)).default_boundary(insulated());
    p.initial = 0.0;
    ProblemBalance balance(p);
    State y(100), f(100);
    for (Index n = 0; n < 100; ++n) y[turned ? 99 - n : n] = std::sin(0.7 * static_cast<Real>(n));
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    return f;
  };
  const State as_is = rates(false), turned = rates(true);
  for (std::size_t n = 0; n < 100; ++n) CHECK(as_is[n] == doctest::Approx(turned[99 - n]).epsilon(1e-9));
}

TEST_CASE("between an unknown and the outline beside it materials lie in series") {
  // From the middle of a cell at 0.85 to the boundary at 0.87, through 0.01 of each material.
  const Regions regions({{"ice", inside([](Point p) { return p.x > 0.87; }), false, "", false},
                         {"core", inside([](Point p) { return p.x < 0.86; })}});
  const auto shared = std::make_shared<const Regions>(regions);
  Problem p(Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells)}),
            diffusion(Function::by_region(shared, {0.5, 1.0, 2.0})), regions);
  p.initial = 0.0;
  p.boundary("ice", dirichlet(3.0)).default_boundary(insulated());
  ProblemBalance balance(p);
  State f(10);
  Ledger ledger(balance.lines().size());
  balance.rate(State(10, 0.0), 0, Parts::all(), f, ledger);
  CHECK(f[8] == doctest::Approx(3 / (0.01 / 2 + 0.01 / 0.5)).epsilon(1e-6));
  // What varies without a jump counts with its value half-way.
  Problem smooth(p.grid(), diffusion([](Point q) { return 1 + q.x; }), regions);
  smooth.initial = 0.0;
  smooth.boundary("ice", dirichlet(3.0)).default_boundary(insulated());
  ProblemBalance other(smooth);
  other.rate(State(10, 0.0), 0, Parts::all(), f, ledger);
  CHECK(f[8] == doctest::Approx(3 / (0.02 / 1.86)).epsilon(1e-6));
}

TEST_CASE("pieces of a domain that a cut leaves") {
  const Grid g = square(10, Unknowns::cells);
  std::vector<int> piece;
  CHECK(Outline(g, disc(0.5, {0, 0})).pieces(piece) == 1);
  const Regions boundary(
      {{"boundary", inside([](Point p) { return std::abs(p.x) < 0.15; }), false, "", false}});
  CHECK(Outline(g, boundary).pieces(piece) == 2);
  CHECK(piece[0] != piece[9]);
}

TEST_CASE("regions: labels, precedence, and what is refused") {
  const Grid g = square(10, Unknowns::cells);
  const Where left = inside([](Point p) { return p.x < 0.1; }),
              low = inside([](Point p) { return p.y < 0.1; });
  const Regions over({{"left", left}, {"low", low, true, "left"}});
  over.check(g);
  CHECK(over.label({-0.5, 0.5, 0}) == 1);
  CHECK(over.label({-0.5, -0.5, 0}) == 2);
  CHECK(over.label({0.5, 0.5, 0}) == 0);
  CHECK(over.name_of(2) == "'low'");
  CHECK_THROWS_WITH_AS(Regions({{"left", left}, {"low", low}}).check(g),
                       "regions 'left' and 'low' overlap at x = -0.9, y = -0.9: give the one that applies "
                       "there with over = \"..\"",
                       InputError);
  CHECK_THROWS_AS(Regions({{"nowhere", inside([](Point p) { return p.x > 2; })}}).check(g), InputError);
  CHECK_THROWS_AS(Regions({{"west", left}}), InputError);
  CHECK_THROWS_AS(Regions({{"a", left}, {"a", low}}), InputError);
  CHECK_THROWS_AS(Regions({{"a", left, true, "b"}}), InputError);
  CHECK_THROWS_AS(Outline(g, Regions({{"all", inside([](Point) { return true; }), false, "", false}})),
                  InputError);
}

TEST_CASE("fractions of regions within control volumes add up to the region") {
  const Regions tank({{"tank", inside([](Point p) { return std::hypot(p.x, p.y) < 0.5; })}});
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g = square(16, u);
    const RegionFractions fractions(g, tank);
    std::vector<Real> volume(static_cast<std::size_t>(g.count()));
    for (const auto& part : fractions.mixed()) volume[part.unknown] += part.volume;
    for (const auto& part : fractions.mixed())
      CHECK(volume[part.unknown] == doctest::Approx(g.volume_of(part.unknown)));
    CHECK(fractions.mixed().size() > 40);
  }
}

TEST_CASE("round axes measure the whole turn, and know where they start") {
  const Axis pipe = Axis::radial(Coordinates::cylindrical, {0.5, 0.7, 1}, Unknowns::cells);
  CHECK(pipe.measure(0.5, 1) == doctest::Approx(M_PI * 0.75));
  CHECK(pipe.area(1) == doctest::Approx(2 * M_PI));
  CHECK(pipe.resistance(0.5, 1, 0.7) == doctest::Approx(std::log(2) / (2 * M_PI)));
  const Axis ball = Axis::radial(Coordinates::spherical, {0, 0.5, 1}, Unknowns::nodes);
  CHECK(ball.starts_at_centre());
  CHECK(ball.measure(0, 1) == doctest::Approx(4 * M_PI / 3));
  const Grid rod({Axis::radial(Coordinates::cylindrical, {0, 1, 2}, Unknowns::cells),
                  Axis::uniform("z", 0, 3, 2, Unknowns::cells)});
  CHECK(rod.sides().size() == 3);
  CHECK(rod.side_name({0, true}) == "outer");
  CHECK(rod.volume() == doctest::Approx(12 * M_PI));
  CHECK(rod.side_area(*rod.side("top")) == doctest::Approx(4 * M_PI));
  CHECK_THROWS_AS(Axis::radial(Coordinates::cylindrical, {-1, 1}, Unknowns::cells), InputError);
  CHECK_THROWS_AS(Grid({Axis::radial(Coordinates::spherical, {0, 1}, Unknowns::cells),
                        Axis::uniform("z", 0, 1, 2, Unknowns::cells)}),
                  InputError);
}
