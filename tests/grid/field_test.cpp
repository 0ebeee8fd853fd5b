#include "williwaw/grid/field.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace williwaw;

namespace {

Grid plan(Unknowns u, bool periodic = false) {
  return Grid({Axis("x", {0, 0.3, 0.5, 0.6, 1}, u, periodic), Axis("y", {0, 0.5, 0.8, 2}, u)});
}

Field linear(const Grid& g) {
  Field f(g);
  for (Index n = 0; n < g.count(); ++n) {
    const Point p = g.point_of(n);
    f[n] = 2 + 3 * p.x - p.y;
  }
  f.extend();
  return f;
}

}  // namespace

TEST_CASE("sampling is exact for linear fields between unknowns") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Field f = linear(plan(u));
    for (const Point p : {Point{0.4, 0.7, 0}, Point{0.55, 0.65, 0}, Point{0.7, 1.2, 0}})
      CHECK(f.sample(p) == doctest::Approx(2 + 3 * p.x - p.y));
  }
}

TEST_CASE("sampling nodes reaches the boundaries and corners") {
  const Field f = linear(plan(Unknowns::nodes));
  for (const Point p : {Point{0, 0, 0}, Point{1, 2, 0}, Point{1, 0.3, 0}})
    CHECK(f.sample(p) == doctest::Approx(2 + 3 * p.x - p.y));
}

TEST_CASE("the halo carries a cell field up to its boundary") {
  Field f(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}));
  for (Index i = -1; i <= 4; ++i)
    f.at(i) = 0.25 * static_cast<Real>(i) + 0.125;  // u = x, beyond the boundaries too
  CHECK(f.sample({0, 0, 0}) == doctest::Approx(0));
  CHECK(f.sample({1, 0, 0}) == doctest::Approx(1));
  CHECK(f.sample({0.06, 0, 0}) == doctest::Approx(0.06));
}

TEST_CASE("sampling across the seam of a periodic axis") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g({Axis::uniform("x", 0, 1, 64, u, true)});
    Field f(g);
    for (Index n = 0; n < g.count(); ++n) f[n] = std::cos(2 * M_PI * g.point_of(n).x);
    f.extend();
    CHECK(f.sample({0, 0, 0}) == doctest::Approx(1).epsilon(0.01));
    CHECK(f.sample({1, 0, 0}) == doctest::Approx(f.sample({0, 0, 0})));
    CHECK(f.sample({0.999, 0, 0}) == doctest::Approx(1).epsilon(0.01));
  }
}

TEST_CASE("integrals and norms are weighted by volume") {
  const Grid g = plan(Unknowns::cells);
  CHECK(Field(g, 3).integral() == doctest::Approx(6));
  CHECK(Field(g, -3).mean() == doctest::Approx(-3));
  Field spike(g);
  spike[5] = -2;
  const Norms n = spike.norms();
  CHECK(n.max == 2);
  CHECK(n.where == 5);
  CHECK(n.l1 == doctest::Approx(2 * g.volume_of(5) / 2));
  CHECK(n.l2 == doctest::Approx(2 * std::sqrt(g.volume_of(5) / 2)));
}

TEST_CASE("a value that is not a number is not lost in a norm") {
  Field f(plan(Unknowns::cells));
  f[3] = std::nan("");
  CHECK(std::isnan(f.norms().max));
}

TEST_CASE("fields refuse what does not fit them") {
  const Field f(plan(Unknowns::cells)), other(plan(Unknowns::nodes));
  CHECK_THROWS_WITH_AS(Field(plan(Unknowns::cells), std::vector<Real>(5)),
                       "a field on this grid has 12 values, but 5 were given", InputError);
  CHECK_THROWS_AS(f.difference(other), InputError);
  CHECK_THROWS_AS(f.sample({2, 0, 0}), InputError);
}

TEST_CASE(
    "edges and corners beyond boundaries carry on what lies beyond each of the boundaries that meet there") {
  // Linear along each axis: what extend leaves at edges and corners is the sum of the slopes there.
  const auto value = [](Real i, Real j, Real k) { return 1 + 2 * i - 3 * j + 5 * k; };
  for (int dimension = 2; dimension <= 3; ++dimension)
    for (const bool periodic : {false, true}) {
      std::vector<Axis> axes{Axis::uniform("x", 0, 1, 4, Unknowns::cells, periodic),
                             Axis::uniform("y", 0, 1, 3, Unknowns::cells)};
      if (dimension == 3) axes.push_back(Axis::uniform("z", 0, 1, 3, Unknowns::cells));
      Field f{Grid(axes)};
      const Index nz = dimension == 3 ? 3 : 1, depth = dimension == 3 ? 1 : 0;
      for (Index k = -depth; k < nz + depth; ++k)
        for (Index j = -1; j <= 3; ++j)
          for (Index i = -1; i <= 4; ++i) {
            const int outside = (i < 0 || i > 3) + (j < 0 || j > 2) + (k < 0 || k >= nz);
            f.at(i, j, k) =
                outside < 2 ? value(static_cast<Real>(i), static_cast<Real>(j), static_cast<Real>(k)) : NAN;
          }
      f.extend_corners();
      for (Index k = -depth; k < nz + depth; ++k)
        for (Index j = -1; j <= 3; ++j)
          for (Index i = -1; i <= 4; ++i) {
            // Round a periodic axis it is the halo's own affair.
            if (periodic && (i < 0 || i > 3)) continue;
            CAPTURE(i);
            CAPTURE(j);
            CAPTURE(k);
            CHECK(f.at(i, j, k) ==
                  doctest::Approx(value(static_cast<Real>(i), static_cast<Real>(j), static_cast<Real>(k))));
          }
    }
}

#ifdef WILLIWAW_ASSERT
TEST_CASE("unknowns, sides and halos that a grid has not are told to who asks for them") {
  const Grid g({Axis::uniform("x", 0, 1, 4, Unknowns::cells), Axis::uniform("y", 0, 1, 3, Unknowns::cells)});
  Field f(g);
  CHECK_NOTHROW(f.at(-1, 3));
  CHECK_NOTHROW(f.at(4, -1));
  CHECK_THROWS_AS(f.at(5, 0), PreconditionError);
  CHECK_THROWS_AS(f.at(0, -2), PreconditionError);
  CHECK_THROWS_AS(f.at(0, 0, 1), PreconditionError);
  CHECK_THROWS_AS(f[12], PreconditionError);
  CHECK_THROWS_AS(f.leave_out(std::vector<Index>{-1}), PreconditionError);
  CHECK_THROWS_AS(g.position(-1), PreconditionError);
  CHECK_THROWS_AS(g.unknowns_at({2, false}), PreconditionError);
  CHECK_THROWS_AS(g.side_name({-1, true}), PreconditionError);
  CHECK_THROWS_AS(g.boundary_area({0, true}, 12), PreconditionError);
  CHECK_THROWS_AS(g.axis(0).pieces(4), PreconditionError);
}
#endif
