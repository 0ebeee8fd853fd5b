// One law, read by everything: explicit rate, matrix, stencil, halo and ledger must tell the same story.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

State random_state(Index size, unsigned seed) {
  std::mt19937 generator(seed);
  std::uniform_real_distribution<Real> values(-1, 1);
  State y(static_cast<std::size_t>(size));
  for (Real& v : y) v = values(generator);
  return y;
}

// F(y) as the matrix sees it: F(0) − (−F')·y.
State rate_by_matrix(ProblemBalance& balance, const State& y, const State& at_zero, Real at) {
  LinearSystem system;
  balance.linearise(y, at, 0, 1, Parts::all(), system);
  State f = at_zero;
  for (const auto& t : triplets_of(system)) f[t.row] -= t.value * y[t.column];
  return f;
}

}  // namespace

TEST_CASE("rate, matrix and stencil agree for every kind of boundary") {
  for (const std::string kind : all_kinds)
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
      for (int dimension = 1; dimension <= 3; ++dimension) {
        CAPTURE(kind);
        CAPTURE(dimension);
        const Real at = 0.3;
        ProblemBalance balance(smooth_problem(smooth_for(kind, dimension), kind, 5, unknowns));
        State y = random_state(balance.layout().size(), 7);
        // Columns of prescribed unknowns are left out of the matrix: zero is where they do not count.
        for (const Index h : balance.prescribed()) y[h] = 0;
        State zero(y.size()), at_zero(y.size()), f(y.size());
        Ledger ledger(balance.lines().size());
        balance.rate(zero, at, Parts::all(), at_zero, ledger);
        balance.rate(y, at, Parts::all(), f, ledger);
        const State by_matrix = rate_by_matrix(balance, y, at_zero, at);
        Real scale = 0;
        for (const Real v : f) scale = std::max(scale, std::abs(v));
        const auto prescribed = balance.prescribed();
        for (Index n = 0; n < balance.layout().size(); ++n) {
          const Stencil s = balance.stencil(n, at);
          Real by_stencil = s.source;
          for (const auto& neighbour : s.neighbours)
            by_stencil += neighbour.conductance * (y[neighbour.number] - y[n]);
          for (const auto& boundary : s.boundaries) by_stencil += boundary.inflow - boundary.pull * y[n];
          CHECK(std::abs(by_stencil - f[n]) < 1e-12 * scale);
          const bool is_prescribed = std::find(prescribed.begin(), prescribed.end(), n) != prescribed.end();
          CHECK(is_prescribed == s.prescribed);
          if (!is_prescribed) CHECK(std::abs(by_matrix[n] - f[n]) < 1e-12 * scale);
        }
      }
}

TEST_CASE("a step in one pass is the same as storage, rate and recover") {
  for (const std::string kind : all_kinds)
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
      for (const bool varying : {false, true}) {
        CAPTURE(kind);
        Smooth smooth = smooth_for(kind, 2);
        Problem problem = smooth_problem(smooth, kind, 9, unknowns);
        if (varying) {
          Equation e = smooth.equation();
          e.storage = [](Point p) { return 1 + p.x; };
          Problem other(problem.grid(), e);
          for (const Side side : problem.grid().sides())
            if (!problem.periodic(side))
              other.boundary(problem.grid().side_name(side), problem.boundary(side));
          other.initial = problem.initial;
          problem = other;
        }
        ProblemBalance balance(problem);
        CHECK(balance.conductances(0)->separable() == !varying);
        const State y = random_state(balance.layout().size(), 3);
        State one(y.size()), parts(y.size());
        Ledger booked(balance.lines().size()), booked_parts(balance.lines().size());
        const Totals totals = balance.advance(y, 0.1, 0.001, one, booked);
        const Totals expected = balance.Balance::advance(y, 0.1, 0.001, parts, booked_parts);
        for (std::size_t n = 0; n < y.size(); ++n) CHECK(one[n] == doctest::Approx(parts[n]).epsilon(1e-12));
        for (std::size_t l = 0; l < booked.size(); ++l)
          CHECK(booked[l] == doctest::Approx(booked_parts[l]).epsilon(1e-11));
        CHECK(totals.content == doctest::Approx(expected.content).epsilon(1e-12));
        CHECK(totals.gross == doctest::Approx(expected.gross).epsilon(1e-12));
        CHECK(totals.lowest == doctest::Approx(expected.lowest));
        CHECK(totals.highest == doctest::Approx(expected.highest));
      }
}

TEST_CASE("the halo carries the boundary's own value") {
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 5, Unknowns::cells), Axis::uniform("y", 0, 1, 4, Unknowns::cells)}),
      diffusion(2.0));
  p.boundary("west", dirichlet(7.0))
      .boundary("east", flux(3.0))
      .boundary("north", robin(4, 1))
      .boundary("south", insulated());
  ProblemBalance balance(p);
  const State y(20, 2.0);
  const Field f = balance.field(y, 0);
  CHECK(f.sample({0, 0.4, 0}) == doctest::Approx(7));
  CHECK(f.sample({1, 0.4, 0}) == doctest::Approx(2 + 3 * 0.1 / 2));  // q = k·(boundary − u)/(h/2)
  CHECK(f.sample({0.5, 0, 0}) == doctest::Approx(2));
  const Real g = 2 / 0.125, boundary = (g * 2 + 4 * 1) / (g + 4);  // k(boundary − u)/(h/2) = 4·(1 − boundary)
  CHECK(f.sample({0.5, 1, 0}) == doctest::Approx(boundary));
  CHECK(std::isfinite(f.sample({0, 1, 0})));
}

TEST_CASE("each condition on a boundary books its own part") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 5, Unknowns::cells)}), diffusion(2.0));
  p.boundary("west", robin(4, 1) + flux(3.0) + robin(1, 10)).boundary("east", insulated());
  ProblemBalance balance(p);
  const State y(5, 2.0);
  State f(5);
  Ledger ledger(balance.lines().size());
  balance.rate(y, 0, Parts::all(), f, ledger);
  REQUIRE(balance.lines().size() == 5);
  CHECK(balance.lines()[0].name == "west: robin");
  CHECK(balance.lines()[1].name == "west: flux");
  const Real g = 2 / 0.1, boundary = (g * 2 + 4 + 3 + 10) / (g + 5);
  CHECK(ledger[0] == doctest::Approx(4 * (1 - boundary)));
  CHECK(ledger[1] == doctest::Approx(3));
  CHECK(ledger[2] == doctest::Approx(10 - boundary));
  CHECK(ledger[0] + ledger[1] + ledger[2] == doctest::Approx(f[0]));
  CHECK(balance.boundary_flux({0, false}, y, 0) == doctest::Approx(f[0]));
}

TEST_CASE("parts of the rate add up to the whole") {
  ProblemBalance balance(smooth_problem(smooth_for("two", 3), "two", 4, Unknowns::cells));
  const State y = random_state(balance.layout().size(), 11);
  State whole(y.size()), part(y.size()), sum(y.size());
  Ledger ledger(balance.lines().size()), booked(balance.lines().size()), booked_sum(balance.lines().size());
  balance.rate(y, 0.2, Parts::all(), whole, ledger);
  for (const Parts p : {Parts::flux(0), Parts::flux(1), Parts::flux(2), Parts::source()}) {
    balance.rate(y, 0.2, p, part, booked);
    booked_sum.add(booked, 1);
    for (std::size_t n = 0; n < y.size(); ++n) sum[n] += part[n];
  }
  for (std::size_t n = 0; n < y.size(); ++n) CHECK(sum[n] == doctest::Approx(whole[n]).epsilon(1e-11));
  for (std::size_t l = 0; l < ledger.size(); ++l) CHECK(booked_sum[l] == doctest::Approx(ledger[l]));
}

TEST_CASE("the stencil of something carried is its rate, advection and boundaries included") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const bool conservative : {true, false}) {
      Equation e = transport(Velocity([](Point p) { return 1 + p.x * p.y; }, -0.7), 0.05, 2.0, 0.3);
      e.advection->conservative = conservative;
      Problem p(Grid({Axis::uniform("x", 0, 1, 6, unknowns), Axis("y", {0, 0.2, 0.5, 0.9, 1}, unknowns)}), e);
      p.initial = [](Point q) { return 1 + q.x * q.x - 0.5 * q.y; };
      p.boundary("west", dirichlet(1.5))
          .boundary("east", outflow())
          .boundary("north", robin(2.0, 0.4))
          .boundary("south", outflow_with_backflow(0.2));
      ProblemBalance balance(p);
      const State y = balance.initial_state();
      State f(y.size());
      Ledger ledger(balance.lines().size());
      balance.rate(y, 0, Parts::all(), f, ledger);
      Index compared = 0;
      for (Index n = 0; n < balance.layout().size(); ++n) {
        const Stencil s = balance.stencil(n, 0);
        if (s.prescribed) continue;
        Real sum = s.source - s.divergence_term * y[n];
        for (const auto& neighbour : s.neighbours)
          sum += neighbour.conductance * (y[neighbour.number] - y[n]);
        for (const auto& boundary : s.boundaries) sum += boundary.inflow - boundary.pull * y[n];
        CAPTURE(n);
        CAPTURE(conservative);
        CHECK(sum == doctest::Approx(f[n]).epsilon(1e-10));
        ++compared;
      }
      CHECK(compared >= 20);
    }
}

TEST_CASE("a part that ends at a node takes what lies on its side of it, on uneven and on radial axes") {
  const auto area_of = [](const Problem& p, const std::string& name) {
    const ProblemBalance balance(p);
    for (const BoundaryClosure& boundary : balance.closures())
      if (boundary.section().name == name) return boundary.section().area();
    return -1.0;
  };
  const Axis x = Axis::uniform("x", 0, 1, 2, Unknowns::nodes), y("y", {0, 0.1, 0.4, 0.5, 1}, Unknowns::nodes),
             z("z", {0, 0.3, 0.4, 1}, Unknowns::nodes);
  for (const int dimension : {2, 3}) {
    CAPTURE(dimension);
    Problem p(dimension == 2 ? Grid({x, y}) : Grid({x, y, z}), diffusion(1.0));
    p.default_boundary(insulated());
    p.part({"door", "west", "", inside([](const Point& at) { return at.y < 0.4 && at.z < 0.3; }),
            dirichlet(1.0)});
    const Real door = dimension == 2 ? 0.4 : 0.4 * 0.3;
    CHECK(area_of(p, "door") == doctest::Approx(door).epsilon(1e-14));
    CHECK(area_of(p, "west") == doctest::Approx(1 - door).epsilon(1e-14));
  }
  Problem round(Grid({Axis::radial(Coordinates::cylindrical, {0, 0.2, 0.7, 1}, Unknowns::nodes),
                      Axis("z", {0, 1}, Unknowns::nodes)}),
                diffusion(1.0));
  round.default_boundary(insulated());
  round.part({"plug", "bottom", "", inside([](const Point& at) { return at.x < 0.7; }), dirichlet(1.0)});
  const Real plug = area_of(round, "plug");
  CHECK(plug > 0);
  CHECK(plug / (plug + area_of(round, "bottom")) == doctest::Approx(0.49).epsilon(1e-13));
}

TEST_CASE("a printed stencil tells what reacts at the initial value, linear or not, besides the source") {
  for (const bool linear : {true, false}) {
    CAPTURE(linear);
    Equation e = diffusion(1.0, 1.0, 3.0);
    e.reaction = Reaction::of([=](Real u) { return linear ? -0.5 * u : -0.5 * u * u; }, linear);
    Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}), e);
    p.default_boundary(insulated());
    p.initial = [](Point q) { return 2 + q.x; };
    ProblemBalance balance(p);
    const Stencil s = balance.stencil(1, 0);
    const Real u = 2.375, volume = 0.25;
    CHECK(s.source == doctest::Approx(3 * volume));
    CHECK(s.reaction == doctest::Approx(-0.5 * volume * (linear ? u : u * u)));
  }
}
