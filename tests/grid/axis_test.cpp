#include <doctest/doctest.h>

#include <numeric>

#include "williwaw/grid/grid.hpp"

using namespace williwaw;

namespace {
Real sum(std::span<const Real> v) {
  return std::accumulate(v.begin(), v.end(), 0.0);
}
}  // namespace

TEST_CASE("cells lie between their marks and fill the axis") {
  const Axis a("x", {0, 1, 3, 6}, Unknowns::cells);
  CHECK(a.size() == 3);
  CHECK(std::vector<Real>(a.points().begin(), a.points().end()) == std::vector<Real>{0.5, 2, 4.5});
  CHECK(std::vector<Real>(a.widths().begin(), a.widths().end()) == std::vector<Real>{1, 2, 3});
  CHECK(std::vector<Real>(a.gaps().begin(), a.gaps().end()) == std::vector<Real>{0.5, 1.5, 2.5, 1.5});
  CHECK_FALSE(a.is_uniform());
}

TEST_CASE("nodes own half an interval at boundaries") {
  const Axis a("y", {0, 1, 3, 6}, Unknowns::nodes);
  CHECK(a.size() == 4);
  CHECK(std::vector<Real>(a.widths().begin(), a.widths().end()) == std::vector<Real>{0.5, 1.5, 2.5, 1.5});
  CHECK(a.gaps().front() == 0);
  CHECK(a.gaps().back() == 0);
  CHECK(sum(a.widths()) == doctest::Approx(6));
}

TEST_CASE("a periodic axis with nodes has one node fewer than it shows, and its volumes still fill it") {
  const Axis a("x", {0, 1, 3, 6}, Unknowns::nodes, true);
  CHECK(a.size() == 3);
  CHECK(sum(a.widths()) == doctest::Approx(6));
  CHECK(a.gaps().front() == doctest::Approx(3));
  const auto pieces = a.pieces(0);
  REQUIRE(pieces.size() == 2);
  CHECK(pieces[0].centre == doctest::Approx(5.25));  // across the seam, brought back inside
  CHECK(pieces[0].width + pieces[1].width == doctest::Approx(2));
  CHECK(a.wrap(-0.5) == doctest::Approx(5.5));
}

TEST_CASE("widths of a uniform axis are alike to the last digit") {
  const Axis a = Axis::uniform("x", 0.1, 0.8, 7, Unknowns::cells);
  CHECK(a.is_uniform());
  for (const Real w : a.widths()) CHECK(w == a.widths()[0]);
  CHECK(a.to() == 0.8);
}

TEST_CASE("an axis far from the origin is still recognised as uniform") {
  CHECK(Axis::uniform("x", 1e6, 1e6 + 0.3, 30, Unknowns::cells).is_uniform());
  // Whatever the unit, intervals that differ do so.
  for (const Real unit : {1e-9, 1.0, 1e9}) {
    CHECK(Axis("x", {0, unit, 2 * unit, 3 * unit}, Unknowns::cells).is_uniform());
    CHECK_FALSE(Axis("x", {0, unit, 2.001 * unit, 3 * unit}, Unknowns::cells).is_uniform());
  }
}

TEST_CASE("axes that cannot be are refused with the reason") {
  CHECK_THROWS_WITH_AS(Axis("q", {0, 1}, Unknowns::cells),
                       "axis 'q': an axis is called x, y or z, or r where coordinates are round", InputError);
  CHECK_THROWS_WITH_AS(Axis("x", {0}, Unknowns::cells), "axis x: one interval at least is needed",
                       InputError);
  CHECK_THROWS_WITH_AS(Axis("x", {0, 2, 1}, Unknowns::cells),
                       "axis x: positions must increase from one end to the other", InputError);
  CHECK_THROWS_WITH_AS(Axis::uniform("x", 1, 1, 4, Unknowns::cells), "axis x: 'to' must lie above 'from'",
                       InputError);
  CHECK_THROWS_AS(Axis("x", {0, 1, 2}, Unknowns::cells, true), InputError);
}

TEST_CASE("a grid numbers unknowns with x fastest and finds them again") {
  const Grid g({Axis::uniform("x", 0, 1, 4, Unknowns::cells), Axis::uniform("z", 0, 2, 5, Unknowns::cells)});
  CHECK(g.dimension() == 2);
  CHECK(g.count() == 20);
  CHECK(g.number(3, 2) == 11);
  CHECK(g.position(11) == std::array<Index, 3>{3, 2, 0});
  const Point p = g.point(3, 2);
  CHECK(p.x == doctest::Approx(0.875));
  CHECK(p.z == doctest::Approx(1.0));
  CHECK(p.y == 0);
  CHECK(g.containing({0.9, 0, 0.95}) == 11);
  CHECK_THROWS_AS(g.containing({1.2, 0, 0}), InputError);
}

TEST_CASE(
    "every place of a line belongs to the control volume whose bounds enclose it, ends and seams included") {
  const std::vector<Real> faces{0, 0.1, 0.4, 0.7, 1};
  for (const bool periodic : {false, true}) {
    const Grid cells({Axis("x", faces, Unknowns::cells, periodic)});
    const std::array<Index, 8> of_cells{0, 0, 1, 1, 2, 3, 3, periodic ? 0 : 3};
    const std::array<Real, 8> places{0, 0.05, 0.1, 0.39, 0.55, 0.7, 0.99, 1};
    for (std::size_t i = 0; i < places.size(); ++i) CHECK(cells.containing({places[i], 0, 0}) == of_cells[i]);
  }
  // Bounds of nodes lie half-way between them: 0.05, 0.25, 0.55, 0.85; beyond the last one a ring begins
  // anew.
  for (const bool periodic : {false, true}) {
    const Grid nodes({Axis("x", faces, Unknowns::nodes, periodic)});
    const Index last = periodic ? 0 : 4;
    const std::array<Index, 8> of_nodes{0, 0, 1, 2, 2, 3, last, last};
    const std::array<Real, 8> places{0, 0.04, 0.06, 0.26, 0.54, 0.84, 0.86, 1};
    for (std::size_t i = 0; i < places.size(); ++i) CHECK(nodes.containing({places[i], 0, 0}) == of_nodes[i]);
  }
}

TEST_CASE("sides are called after their axes in every rank") {
  const Grid g({Axis::uniform("x", 0, 1, 4, Unknowns::nodes), Axis::uniform("z", 0, 2, 5, Unknowns::nodes)});
  CHECK(g.side("top")->axis == 1);
  CHECK(g.side("top")->upper);
  CHECK_FALSE(g.side("north").has_value());
  CHECK(g.side_area(*g.side("west")) == doctest::Approx(2));
  CHECK(g.unknowns_at(*g.side("west")) == std::vector<Index>{0, 5, 10, 15, 20, 25});
  Real area = 0;
  for (const Index n : g.unknowns_at(*g.side("top"))) area += g.boundary_area(*g.side("top"), n);
  CHECK(area == doctest::Approx(1));
  const Grid column({Axis::uniform("z", 0, 1, 3, Unknowns::cells)});
  CHECK(column.side_name({0, false}) == "bottom");
}

TEST_CASE("volumes fill the domain") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g(
        {Axis("x", {0, 0.2, 0.5, 1}, u), Axis("y", {0, 1, 1.5}, u), Axis::uniform("z", -1, 1, 4, u)});
    Real total = 0;
    for (Index n = 0; n < g.count(); ++n) total += g.volume_of(n);
    CHECK(total == doctest::Approx(g.volume()));
  }
}
