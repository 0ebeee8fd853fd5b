// Waves in domains with shores, on round and graded grids, driven from points and regions; steps that change.
#include <doctest/doctest.h>

#include "support/waves.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Grid square(Index n, Unknowns unknowns, bool periodic = false) {
  return Grid({Axis::uniform("x", 0, 1, n, unknowns, periodic), Axis::uniform("y", 0, 1, n, unknowns)});
}

Regions skerry() {
  Region island;
  island.name = "skerry";
  island.where =
      inside([](const Point& q) { return std::abs(q.x - 0.6) < 0.151 && std::abs(q.y - 0.5) < 0.151; });
  island.active = false;
  return Regions({island});
}

Real amount_on(const Outcome& out, const std::string& line) {
  const auto& lines = out.budget.lines();
  const auto found = std::ranges::find(lines, line, &LedgerLine::name);
  REQUIRE(found != lines.end());
  return out.budget.amounts()[static_cast<std::size_t>(found - lines.begin())];
}

}  // namespace

TEST_CASE("shores of a cut-out reflect or absorb by name, and the energy tells which") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(name_of(unknowns));
    const auto ride = [&](const Boundary& shore) {
      Problem p(square(40, unknowns), wave(1.0), skerry());
      p.default_boundary(free_boundary());
      p.boundary("skerry", shore);
      p.initial = [](Point q) {
        return std::exp(-((q.x - 0.2) * (q.x - 0.2) + (q.y - 0.5) * (q.y - 0.5)) / 0.01);
      };
      return go(p, "leapfrog", 0.01, 1.5);
    };
    const Ride hard = ride(fixed_boundary()), free = ride(free_boundary()), soft = ride(absorbing());
    for (const Ride* r : {&hard, &free, &soft}) CHECK(r->outcome.budget.relative_residual() < 1e-11);
    CHECK(hard.outcome.totals.content ==
          doctest::Approx(hard.outcome.budget.initial_content()).epsilon(1e-10));
    CHECK(free.outcome.totals.content ==
          doctest::Approx(free.outcome.budget.initial_content()).epsilon(1e-10));
    CHECK(amount_on(soft.outcome, "skerry: absorbing") < -0.2 * soft.outcome.budget.initial_content());
    CHECK(largest_difference(hard.state, free.state) > 0.05);
  }
}

TEST_CASE("an absorbing outline that passes the centres of cells acts as one beside them") {
  // The circle about (0.7, 0.6) of radius 0.15 passes centres of these cells.
  const auto ride = [](Real radius) {
    Region pile;
    pile.name = "pile";
    pile.where = inside([radius](const Point& q) { return std::hypot(q.x - 0.7, q.y - 0.6) < radius; });
    pile.active = false;
    Problem p(Grid({Axis::uniform("x", 0, 1, 120, Unknowns::cells),
                    Axis::uniform("y", 0, 1, 110, Unknowns::cells)}),
              wave(1.0), Regions({pile}));
    p.default_boundary(free_boundary());
    p.boundary("pile", absorbing());
    p.initial = [](Point q) {
      return std::exp(-((q.x - 0.2) * (q.x - 0.2) + (q.y - 0.5) * (q.y - 0.5)) / 0.01);
    };
    return go(p, "leapfrog", 2e-4, 0.6);
  };
  const Ride through = ride(0.15), beside = ride(0.15 + 1e-7);
  CHECK(through.outcome.budget.relative_residual() < 1e-11);
  CHECK(amount_on(through.outcome, "pile: absorbing") < -0.01 * through.outcome.budget.initial_content());
  CHECK(largest_difference(through.state, beside.state) < 1e-4);
  CHECK(amount_on(through.outcome, "pile: absorbing") ==
        doctest::Approx(amount_on(beside.outcome, "pile: absorbing")).epsilon(1e-3));
}

TEST_CASE("a spring and a force on one end come to rest where they are even, each on its own line") {
  // c²·a + k·(a − b) = F at rest for u = a·x.
  const Real k = 3, b = 0.5, push = 0.7, a = (k * b + push) / (1 + k);
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const bool spring_first : {true, false}) {
      CAPTURE(name_of(unknowns));
      Problem p(Grid({Axis::uniform("x", 0, 1, 20, unknowns)}), wave(1.0, 3.0));
      p.boundary("west", fixed_boundary())
          .boundary("east",
                    spring_first ? robin(k, b) + driven_force(push) : driven_force(push) + robin(k, b));
      const Ride ride = go(p, "leapfrog", 0.01, 30);
      REQUIRE(ride.outcome.ending == Outcome::Ending::reached);
      for (Index n = 0; n < p.grid().count(); ++n)
        CHECK(ride.state[static_cast<std::size_t>(n)] ==
              doctest::Approx(a * p.grid().point_of(n).x).epsilon(1e-3));
      // Forces that do not follow the motion do work: k·b and F. What the spring holds, k·a²/2, is content.
      if (unknowns == Unknowns::cells) continue;
      CHECK(amount_on(ride.outcome, "east: robin") == doctest::Approx(k * b * a).epsilon(0.01));
      CHECK(amount_on(ride.outcome, "east: driven") == doctest::Approx(push * a).epsilon(0.01));
      CHECK(ride.outcome.totals.content == doctest::Approx(0.5 * a * a + 0.5 * k * a * a).epsilon(0.01));
      CHECK(ride.outcome.budget.relative_residual() < 1e-10);
    }
}

namespace {

// q + stiffness·u + resistance·du/dt = stiffness·rest: a spring and a resistance in one law.
class SpringWithResistance final : public BoundaryCondition {
 public:
  SpringWithResistance() : BoundaryCondition("spring", {}) {}
  bool has_rate() const override { return true; }
  void law(const BoundaryPlace&, LawLine& out) const override {
    std::ranges::fill(out.value, 3.0);
    std::ranges::fill(out.flux, 1.0);
    std::ranges::fill(out.rate, 1.0);
    std::ranges::fill(out.data, 3.0 * 0.5);
  }
};

}  // namespace

TEST_CASE("an end whose own law holds a spring and a resistance comes to rest where the spring says") {
  const Real a = 3 * 0.5 / (1 + 3);
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(name_of(unknowns));
    Problem p(Grid({Axis::uniform("x", 0, 1, 20, unknowns)}), wave(1.0));
    p.boundary("west", fixed_boundary()).boundary("east", Boundary(std::make_shared<SpringWithResistance>()));
    const Ride ride = go(p, "leapfrog", 0.02, 150);
    REQUIRE(ride.outcome.ending == Outcome::Ending::reached);
    for (Index n = 0; n < p.grid().count(); ++n)
      CHECK(ride.state[static_cast<std::size_t>(n)] ==
            doctest::Approx(a * p.grid().point_of(n).x).epsilon(1e-3));
    CHECK(ride.outcome.budget.relative_residual() < 1e-10);
  }
}

TEST_CASE("a shore that resists sends back what a side in its place does") {
  // (1 − z)/(1 + z), whether the line ends there or something is cut out behind.
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const Real z : {0.25, 3.0})
      // On a face of the grid, and just beyond an unknown.
      for (const Real beyond : {0.0, 0.03, 412 / 400.5001 - 1}) {
        CAPTURE(name_of(unknowns));
        CAPTURE(z);
        CAPTURE(beyond);
        const Real length = 1 + beyond;
        Problem p(
            Grid({Axis::uniform("x", 0, length, 412, unknowns)}), wave(1.0),
            beyond > 0 ? Regions({{"shore", inside([](Point q) { return q.x > 1; }), false}}) : Regions());
        p.boundary("west", fixed_boundary());
        p.boundary(beyond > 0 ? "shore" : "east", impedance(z)).default_boundary(free_boundary());
        const auto hump = [](Real s) { return std::exp(-s * s / 0.005); };
        p.initial = [=](Point q) { return hump(q.x - 0.5); };
        p.initial_rate = [=](Point q) { return 2 * (q.x - 0.5) / 0.005 * hump(q.x - 0.5); };
        const Ride ride = go(p, "leapfrog", 0.4 * length / 412, 0.8);
        Real most = 0;
        for (const Real u : ride.state)
          if (std::abs(u) > std::abs(most)) most = u;
        CHECK(most == doctest::Approx((1 - z) / (1 + z)).epsilon(0.02));
        CHECK(ride.outcome.budget.relative_residual() < 1e-10);
      }
}

TEST_CASE("absorbing sides that meet in a corner do not know which of them is named first") {
  for (const int order : {1, 2, 3}) {
    CAPTURE(order);
    Problem p(square(24, Unknowns::nodes), wave(1.0));
    p.default_boundary(absorbing(order));
    p.initial = [](Point q) {
      return std::exp(-((q.x - 0.6) * (q.x - 0.6) + (q.y - 0.6) * (q.y - 0.6)) / 0.02);
    };
    const Ride ride = go(p, "leapfrog", 0.02, 1.2);
    REQUIRE(ride.outcome.ending == Outcome::Ending::reached);
    for (Index j = 0; j <= 24; ++j)
      for (Index i = 0; i < j; ++i)
        CHECK(std::abs(ride.state[static_cast<std::size_t>(i + 25 * j)] -
                       ride.state[static_cast<std::size_t>(j + 25 * i)]) < 1e-13);
  }
}

TEST_CASE("the budget of a wave does not notice that its problem is turned round") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    const auto ride = [&](bool turned) {
      Problem p(square(24, unknowns),
                wave([turned](Point q) { return 1 + 0.5 * (turned ? 1 - q.x : q.x); }, 0.2));
      p.boundary(turned ? "east" : "west", absorbing(2)).boundary(turned ? "west" : "east", impedance(0.7));
      p.boundary("south", fixed_boundary()).boundary("north", driven_force([](Real t) {
                                                       return std::sin(6 * t);
                                                     }));
      p.initial = [turned](Point q) {
        const Real x = turned ? 1 - q.x : q.x;
        return std::exp(-((x - 0.3) * (x - 0.3) + (q.y - 0.4) * (q.y - 0.4)) / 0.02);
      };
      return go(p, "leapfrog", 0.01, 2.0);
    };
    const Ride one = ride(false), other = ride(true);
    CHECK(amount_on(one.outcome, "west: absorbing") ==
          doctest::Approx(amount_on(other.outcome, "east: absorbing")).epsilon(1e-10));
    CHECK(amount_on(one.outcome, "east: impedance") ==
          doctest::Approx(amount_on(other.outcome, "west: impedance")).epsilon(1e-10));
    CHECK(one.outcome.totals.content == doctest::Approx(other.outcome.totals.content).epsilon(1e-10));
  }
}

TEST_CASE("a point that pushes puts in what boundaries take out and the wave keeps") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    Equation e = wave(1.0, 0.1);
    // A Ricker pulse (1953).
    e.points = {{"hammer", {0.3, 0.4, 0}, [](Real t) {
                   const Real s = 9 * M_PI * M_PI * (t - 0.4) * (t - 0.4);
                   return (1 - 2 * s) * std::exp(-s);
                 }}};
    Problem p(square(60, unknowns), e);
    p.default_boundary(absorbing());
    const Ride ride = go(p, "leapfrog", 0.008, 3.0);
    CHECK(ride.outcome.budget.relative_residual() < 1e-11);
    CHECK(amount_on(ride.outcome, "point hammer") > 0);
    CHECK(amount_on(ride.outcome, "source") ==
          doctest::Approx(0).scale(amount_on(ride.outcome, "point hammer")));
    // It has rung out: what is left is little.
    CHECK(ride.outcome.totals.content < 0.01 * amount_on(ride.outcome, "point hammer"));
  }
}

TEST_CASE("a one-way pulse goes once round a periodic line and comes back to where it was") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 200, Unknowns::cells, true)}), wave(2.0));
  p.initial = [](Point q) { return std::exp(-std::pow((q.x - 0.5) / 0.08, 2)); };
  p.initial_rate = [](Point q) {
    return 2.0 * 2 * (q.x - 0.5) / (0.08 * 0.08) * std::exp(-std::pow((q.x - 0.5) / 0.08, 2));
  };
  ProblemBalance balance(p);
  const Ride ride = go(p, "leapfrog", 0.5 / 200 * 0.9, 0.5);
  CHECK(largest_difference(ride.state, balance.initial_state()) < 5e-3);
  // The other way it would have been at the same place half-way, and upside down it never is.
  const Ride half = go(p, "leapfrog", 0.5 / 200 * 0.9, 0.125);
  CHECK(half.state[150] > 0.9);
  CHECK(std::abs(half.state[50]) < 0.01);
}

TEST_CASE("spherical waves fall with the distance, on a grid along r") {
  // u = f(t − r)/r from a small ball that is pushed.
  Problem p(Grid({Axis::radial(Coordinates::spherical, graded(240, 0.0), Unknowns::cells)}), wave(1.0));
  p.boundary("outer", absorbing());
  p.initial = [](Point q) { return std::exp(-q.x * q.x / 0.004); };
  const Ride ride = go(p, "leapfrog", 0.002, 0.6);
  CHECK(ride.outcome.budget.relative_residual() < 1e-11);
  // By d'Alembert for r·u: (r − t)·f(r − t)/(2r) outward of r = 0.
  for (const Real r : {0.5, 0.6, 0.7}) {
    const Real exact = ((r - 0.6) * std::exp(-(r - 0.6) * (r - 0.6) / 0.004) +
                        (r + 0.6) * std::exp(-(r + 0.6) * (r + 0.6) / 0.004)) /
                       (2 * r);
    CHECK(ride.state[p.grid().containing({r, 0, 0})] == doctest::Approx(exact).scale(0.05).epsilon(0.12));
  }
}

TEST_CASE("a step that changes on the way keeps the budget, and the change has its place in it") {
  // In any unit of time.
  for (const Real unit : {1.0, 1e-9, 1e9})
    for (const char* name : {"leapfrog", "newmark"}) {
      CAPTURE(unit);
      CAPTURE(std::string(name));
      Problem p(Grid({Axis::uniform("x", 0, 1, 80, Unknowns::nodes)}), wave(1 / unit));
      p.default_boundary(fixed_boundary());
      p.initial = [](Point q) { return std::sin(M_PI * q.x); };
      ProblemBalance balance(p);
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme(name);
      plan.until = unit;
      plan.step = 0.01 * unit;
      plan.trim = true;
      plan.records = {0.105 * unit, 0.5 * unit, 0.733 * unit};
      const Outcome out = march(balance, y, plan);
      CHECK(out.shortest_step < 0.999 * out.longest_step);
      CHECK(out.budget.relative_residual() < 1e-11);
      Real most = 0;
      for (Index i = 0; i <= 80; ++i)
        most = std::max(most, std::abs(y[i] + std::sin(M_PI * static_cast<Real>(i) / 80)));
      CHECK(most < 1e-3);
      if (name[0] == 'l') CHECK(std::abs(amount_on(out, "scheme")) < 1e-3 * out.budget.initial_content());
    }
}

TEST_CASE("where two layers overlap each takes what is deeper in it") {
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 40, Unknowns::cells), Axis::uniform("y", 0, 1, 40, Unknowns::cells)}),
      wave(1.0));
  p.boundary("west", absorbing_layer(12))
      .boundary("south", absorbing_layer(12))
      .default_boundary(free_boundary());
  p.initial = [](Point q) { return std::exp(-60 * (std::pow(q.x - 0.3, 2) + std::pow(q.y - 0.3, 2))); };
  const Ride ride = go(p, "leapfrog", 0.01, 0.6);
  const Real west = amount_on(ride.outcome, "west: absorbing"),
             south = amount_on(ride.outcome, "south: absorbing");
  CAPTURE(west);
  CAPTURE(south);
  CHECK(west < 0);
  // Only the diagonal itself is the first one's alone.
  CHECK(west == doctest::Approx(south).epsilon(0.15));
}

TEST_CASE("damping takes what it should: a mode dies by exp(−d·t/2)") {
  for (const std::string name : {"leapfrog", "newmark", "rk4"}) {
    Problem p(Grid({Axis::uniform("x", 0, 1, 60, Unknowns::cells)}), wave(1.0, 0.8));
    p.default_boundary(fixed_boundary());
    p.initial = [](Point q) { return std::sin(M_PI * q.x); };
    const Real until = 3, omega = std::sqrt(M_PI * M_PI - 0.16);
    const Ride ride = go(p, name, 0.004, until);
    const Real exact =
        std::exp(-0.4 * until) * (std::cos(omega * until) + 0.4 / omega * std::sin(omega * until));
    CAPTURE(name);
    CHECK(ride.state[30] == doctest::Approx(exact * std::sin(M_PI * 30.5 / 60)).epsilon(0.01));
    CHECK(amount_on(ride.outcome, "damping") < 0);
  }
}

TEST_CASE("on graded axes and in tension the order is two all the same") {
  const auto error = [](Index n, Unknowns unknowns) {
    Problem p(graded_grid(2, n, unknowns), wave_in_tension(3.0, 0.75));
    p.default_boundary(free_boundary());
    p.initial = [](Point q) { return std::cos(M_PI * q.x) * std::cos(2 * M_PI * q.y); };
    const Real until = 0.3, omega = 2 * M_PI * std::sqrt(5.0);
    const Ride ride = go(p, "leapfrog", 0.1 / static_cast<Real>(n), until);
    Real most = 0;
    for (Index i = 0; i < p.grid().count(); ++i)
      most =
          std::max(most, std::abs(ride.state[i] - std::cos(omega * until) * p.initial(p.grid().point_of(i))));
    return most;
  };
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    CHECK(order_between(error(24, unknowns), error(48, unknowns)) > 1.7);
}

TEST_CASE("the medium taken point by point is another medium than the one by divergence") {
  const auto after = [](bool non_conservative) {
    const Function speed = [](Point q) { return q.x < 0.5 ? 1.0 : 2.0; };
    Problem p(Grid({Axis::uniform("x", 0, 1, 400, Unknowns::cells)}),
              non_conservative ? wave_non_conservative(speed) : wave(speed));
    p.boundary("west", absorbing()).boundary("east", absorbing());
    p.initial = [](Point q) { return std::exp(-std::pow((q.x - 0.3) / 0.03, 2)); };
    p.initial_rate = [](Point q) {
      return 2 * (q.x - 0.3) / 0.0009 * std::exp(-std::pow((q.x - 0.3) / 0.03, 2));
    };
    const Ride ride = go(p, "leapfrog", 0.4 / 400, 0.35);
    Real back = 0;
    for (Index i = 0; i < 190; ++i)
      if (std::abs(ride.state[i]) > std::abs(back)) back = ride.state[i];
    return back;
  };
  // Impedances c and 1/c: (c₁ − c₂)/(c₁ + c₂), and the same with the other sign.
  CHECK(after(false) == doctest::Approx(-1.0 / 3).epsilon(0.03));
  CHECK(after(true) == doctest::Approx(1.0 / 3).epsilon(0.03));
}
