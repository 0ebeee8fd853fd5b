#include <doctest/doctest.h>

#include <cmath>

#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Conductances conductances_of(const Problem& p) {
  const auto domain = std::make_shared<const Domain>(p.grid(), Outline{});
  const ControlVolumes volumes(p, domain);
  return {p, linear_storage(p, volumes, domain)};
}

// Conductances of a problem with insulated boundaries.
struct Joined {
  Problem problem;
  Conductances conductances;

  Joined(const Grid& g, const Equation& e)
      : problem(Problem(g, e).default_boundary(insulated())), conductances(conductances_of(problem)) {}
  Conductances* operator->() { return &conductances; }
  // Resistance between the first unknown on a side and the boundary, and the conductivity there.
  std::pair<Real, Real> boundary(Side side) {
    Outline whole;
    for (const BoundarySection& s : boundary_sections(problem, whole))
      if (s.name == problem.grid().side_name(side)) {
        AtBoundary at_boundary;
        conductances.at_boundary(s, at_boundary);
        return {at_boundary.resistance[0], at_boundary.conductivity[0]};
      }
    return {-1, -1};
  }
};

}  // namespace

TEST_CASE("conductances of a constant coefficient are area over distance, on any grid") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g({Axis("x", {0, 0.1, 0.4, 1}, u), Axis("y", {0, 0.5, 0.7}, u)});
    Joined constant(g, diffusion(3.0)), varying(g, diffusion([](Point) { return 3.0; }));
    constant->update(0, {});
    varying->update(0, {});
    CHECK(constant->separable());
    CHECK_FALSE(varying->separable());
    for (Index n = 0; n < g.count(); ++n) {
      const auto at = g.position(n);
      CHECK(constant->capacity(n) == doctest::Approx(varying->capacity(n)));
      for (int a = 0; a < 2; ++a)
        for (const bool up : {false, true}) {
          CHECK(constant->conductance(n, a, up) == doctest::Approx(varying->conductance(n, a, up)));
          const Index i = at[a] + (up ? 1 : 0);
          const Real across = g.axis(1 - a).widths()[at[1 - a]];
          const bool boundary = i == 0 || i == g.size(a);
          CHECK(constant->conductance(n, a, up) ==
                doctest::Approx(boundary ? 0 : 3 * across / g.axis(a).gaps()[i]));
        }
    }
    for (const Side side : g.sides()) {
      const auto [resistance, conductivity] = constant.boundary(side);
      if (u == Unknowns::nodes) CHECK(resistance == 0);
      if (u == Unknowns::cells) CHECK(resistance > 0);
      CHECK(conductivity == 3);
      CHECK(resistance == doctest::Approx(varying.boundary(side).first));
    }
  }
}

TEST_CASE("between materials that meet at a face conductances are in series") {
  const Grid g({Axis("x", {0, 0.2, 1}, Unknowns::cells)});
  Joined c(g, diffusion([](Point p) { return p.x < 0.2 ? 0.5 : 4.0; }));
  c->update(0, {});
  CHECK(c->conductance(0, 0, true) == doctest::Approx(1 / (0.1 / 0.5 + 0.4 / 4)));
  CHECK(c->conductance(1, 0, false) == c->conductance(0, 0, true));
  CHECK(c.boundary({0, false}).first == doctest::Approx(0.1 / 0.5));
  CHECK(c.boundary({0, true}).second == 4);
}

TEST_CASE("where a material begins within a path its resistance is an integral from there") {
  // From 0.25 to 0.75; what begins at 0.6 has a resistance that is cubic in x.
  const auto rock =
      std::make_shared<const Regions>(Regions({{"rock", inside([](Point p) { return p.x > 0.6; })}}));
  Problem p(Grid({Axis::uniform("x", 0, 1, 2, Unknowns::cells)}),
            diffusion(Function::by_region(
                rock, {2.0, Function([](Point q) { return 1 / (1 + 20 * q.x * q.x * q.x); })})),
            *rock);
  p.default_boundary(insulated());
  Conductances c = conductances_of(p);
  c.update(0, {});
  const Real beyond = 0.15 + 5 * (std::pow(0.75, 4) - std::pow(0.6, 4));
  CHECK(c.conductance(0, 0, true) == doctest::Approx(1 / (0.35 / 2 + beyond)).epsilon(1e-6));
}

TEST_CASE("across an interval of nodes layers lie side by side") {
  // Material changes at y = 0.5, where nodes are: half the face belongs to each.
  const Grid g({Axis::uniform("x", 0, 1, 2, Unknowns::nodes), Axis::uniform("y", 0, 1, 2, Unknowns::nodes)});
  Joined c(g, diffusion([](Point p) { return p.y < 0.5 ? 1.0 : 9.0; }));
  c->update(0, {});
  CHECK(c->conductance(g.number(0, 1), 0, true) == doctest::Approx((0.25 * 1 + 0.25 * 9) / 0.5));
  CHECK(c->conductance(g.number(0, 0), 0, true) == doctest::Approx(0.25 * 1 / 0.5));
}

TEST_CASE("the seam of a periodic axis couples both ends alike") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g({Axis("x", {0, 0.1, 0.4, 0.6, 1}, u, true)});
    Joined constant(g, diffusion(2.0)), varying(g, diffusion([](Point) { return 2.0; }));
    constant->update(0, {});
    varying->update(0, {});
    const Index last = g.count() - 1;
    CHECK(constant->conductance(0, 0, false) == doctest::Approx(constant->conductance(last, 0, true)));
    CHECK(varying->conductance(0, 0, false) == doctest::Approx(constant->conductance(0, 0, false)));
    CHECK(varying->conductance(last, 0, true) == doctest::Approx(constant->conductance(last, 0, true)));
  }
}

TEST_CASE("coefficients are evaluated again only when they can have changed") {
  int calls = 0;
  const Grid g({Axis::uniform("x", 0, 1, 4, Unknowns::cells)});
  Joined steady(g, diffusion([&calls](Point) {
                  ++calls;
                  return 1.0;
                }));
  steady->update(0, {});
  const int once = calls;
  steady->update(1, {});
  CHECK(calls == once);
  CHECK(steady->stamp() == 0);
  int asked = 0;
  Joined moving(g, diffusion([&asked](Real t) {
                  ++asked;
                  return 1 + t;
                }));
  moving->update(0, {});
  const int first = asked;
  moving->update(0, {});
  CHECK(asked == first);
  moving->update(1, {});
  CHECK(asked > first);
  CHECK(moving->stamp() == 1);
  CHECK(moving->conductance(1, 0, true) == doctest::Approx(2 / 0.25));
}

TEST_CASE("integrals over control volumes keep the total of a source with a jump at a node") {
  const Function source([](Point p) { return p.x < 0.5 ? 4.0 : 0.0; });
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g({Axis::uniform("x", 0, 1, 4, u), Axis::uniform("z", 0, 2, 3, u)});
    std::vector<Real> amounts(static_cast<std::size_t>(g.count()));
    integrate_over_volumes(g, source, 0, amounts);
    Real total = 0;
    for (const Real a : amounts) total += a;
    CHECK(total == doctest::Approx(4));
  }
}

TEST_CASE("grids of one cell, one line, two nodes") {
  for (int dimension = 1; dimension <= 3; ++dimension) {
    std::vector<Axis> axes;
    for (int a = 0; a < dimension; ++a)
      axes.push_back(Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1, 1, Unknowns::cells));
    Problem p(Grid(axes), diffusion(1.0, 1.0, 6.0));
    p.boundary("west", dirichlet(0.0)).default_boundary(insulated());
    ProblemBalance balance(p);
    State y{0.0}, f{0.0};
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    CHECK(f[0] == 6);
    y[0] = 1;
    balance.rate(y, 0, Parts::all(), f, ledger);
    CHECK(f[0] == doctest::Approx(6 - 2));  // half a cell to the boundary
    CHECK(ledger[0] == doctest::Approx(-2));
    CHECK(verify::stability(p, scheme("explicit-euler"), 1).limit.step == doctest::Approx(1));
  }
  Problem ends(Grid({Axis::uniform("x", 0, 1, 1, Unknowns::nodes)}), diffusion(1.0));
  ends.boundary("west", dirichlet(1.0)).boundary("east", insulated());
  CHECK(verify::stability(ends, scheme("explicit-euler"), 1).limit.step == doctest::Approx(1));
  ends.boundary("east", dirichlet(2.0));
  CHECK_THROWS_AS(verify::stability(ends, scheme("explicit-euler"), 1), InputError);
}
