// Solutions that practitioners know by heart, and what they read off them.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using williwaw::test::plan_of;

TEST_CASE("a half-space whose boundary is suddenly cold: erfc, and the flux by the square root of time") {
  // 2 m of concrete behave like a half-space for ten hours.
  const Real k = 1.4, storage = 2200.0 * 880, drop = 40, d = k / storage;
  Problem p(Grid({Axis::uniform("x", 0, 2, 800, Unknowns::cells)}), heat(k, 2200, 880));
  p.initial = 290.0;
  p.boundary("west", dirichlet(290 - drop)).boundary("east", insulated());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const Real until = 36000;
  const Outcome o = march(balance, y, plan_of("implicit-euler", 10, until));
  const auto exact = [&](const Point& q) { return 290 - drop * std::erfc(q.x / std::sqrt(4 * d * until)); };
  CHECK(Field(p.grid(), y).difference(exact).max < 0.02);
  CHECK(o.budget.amounts()[0] ==
        doctest::Approx(-2 * k * drop * std::sqrt(until / (M_PI * d))).epsilon(2e-3));
}

TEST_CASE(
    "a boundary that swings: the wave dies and lags with depth, its flux leads by an eighth of a period") {
  // 10·sin(ωt) on the boundary of a deep bar: 10·exp(−x/δ)·sin(ωt − x/δ), flux 10·k/δ·√2·sin(ωt + π/4).
  const Real period = 1, w = 2 * M_PI / period, k = 1, delta = std::sqrt(2 * k / w);
  Problem p(Grid({Axis::uniform("x", 0, 8 * delta, 400, Unknowns::nodes)}), diffusion(k));
  p.boundary("west", dirichlet([w](Real t) { return 10 * std::sin(w * t); })).boundary("east", insulated());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan = plan_of("crank-nicolson", period / 500, 6 * period);
  Real worst_flux = 0, worst_value = 0;
  Observers o;
  o.on_step = [&](const StepInfo& m) {
    if (m.time < 5 * period) return;
    const Real middle = m.time - 0.5 * m.step_length;
    const Real flux = 10 * k / delta * std::sqrt(2.0) * std::sin(w * middle + M_PI / 4);
    worst_flux = std::max(worst_flux, std::abs(m.amounts[0] / m.step_length - flux));
    const Real at_delta = 10 * std::exp(-1) * std::sin(w * m.time - 1);
    worst_value = std::max(worst_value, std::abs(Field(p.grid(), m.state).sample({delta, 0, 0}) - at_delta));
  };
  march(balance, y, plan, o);
  CHECK(worst_flux < 0.01 * 10 * k / delta);
  CHECK(worst_value < 0.04);
}

TEST_CASE(
    "fluid started by a moved boundary reaches 99 % of its steady profile when the slowest mode says so") {
  Problem p(Grid({Axis::uniform("y", 0, 1, 60, Unknowns::nodes)}), diffusion(1.0));
  p.boundary("south", dirichlet(0.0)).boundary("north", dirichlet(1.0));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Real settled = 0;
  Observers o;
  o.on_step = [&](const StepInfo& m) {
    const Norms left = Field(p.grid(), m.state).difference([](const Point& q) { return q.y; });
    if (settled == 0 && left.max < 0.01 * 2 / M_PI) settled = m.time;
  };
  march(balance, y, plan_of("crank-nicolson", 0.002, 1), o);
  const Real slowest = *verify::stability(p, scheme("crank-nicolson"), 1).smallest_eigenvalue;
  CHECK(slowest == doctest::Approx(M_PI * M_PI).epsilon(1e-3));
  CHECK(settled == doctest::Approx(std::log(100.0) / slowest).epsilon(0.01));
}

TEST_CASE("a square with four different boundaries settles to its series") {
  // Prescribed at 0 but for u = 1 on the north: Σ 4/(nπ)·sin(nπx)·sinh(nπy)/sinh(nπ), n odd; 1/4 in the
  // middle.
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 20, Unknowns::nodes), Axis::uniform("y", 0, 1, 20, Unknowns::nodes)}),
      diffusion(1.0));
  p.boundary("north", dirichlet(1.0)).default_boundary(dirichlet(0.0));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  march(balance, y, plan_of("implicit-euler", 0.5, 10));
  const Field f(p.grid(), y);
  CHECK(f.sample({0.5, 0.5, 0}) == doctest::Approx(0.25).epsilon(1e-10));
  Real series = 0;
  for (int n = 1; n < 60; n += 2)
    series += 4 / (n * M_PI) * std::sin(n * M_PI * 0.25) * std::sinh(n * M_PI * 0.6) / std::sinh(n * M_PI);
  CHECK(f.sample({0.25, 0.6, 0}) == doctest::Approx(series).epsilon(4e-3));
}

TEST_CASE("heat given to a closed block stays there, spread evenly in the end") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells), Axis::uniform("y", 0, 2, 4, Unknowns::cells),
                  Axis::uniform("z", 0, 3, 4, Unknowns::cells)}),
            heat(10.0, 2.0, 3.0, [](Point q) { return q.z > 1.5 ? 5.0 : 0.0; }));
  p.boundary("top", flux(4.0)).default_boundary(insulated());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const Outcome o = march(balance, y, plan_of("implicit-euler", 0.5, 60));
  CHECK(o.totals.content == doctest::Approx(60 * (5 * 3 + 4 * 2)));
  CHECK(o.budget.amounts()[5] == doctest::Approx(60 * 4 * 2));  // top, the last of the boundaries
  CHECK(o.budget.amounts()[6] == doctest::Approx(60 * 5 * 3));
}

TEST_CASE("a dimensionless and a scaled problem are the same problem") {
  const auto run = [](Real length, Real d, Real until) {
    Problem p(Grid({Axis::uniform("x", 0, length, 30, Unknowns::cells)}), diffusion(d));
    p.initial = [length](Point q) { return q.x / length; };
    p.boundary("west", dirichlet(0.5)).boundary("east", robin(2 * d / length, 3.0));
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan = plan_of("rk4", 0, until);
    plan.step = 0.5 * verify::stability(balance, plan.scheme, 1).limit.step;
    plan.trim = true;
    march(balance, y, plan);
    return y;
  };
  const State plain = run(1, 1, 0.1), scaled = run(1e-3, 1e-9, 0.1 * 1e-6 / 1e-9);
  for (std::size_t n = 0; n < plain.size(); ++n) CHECK(plain[n] == doctest::Approx(scaled[n]).epsilon(1e-9));
}

TEST_CASE("a front that grows and spreads runs with 5/√6, in the profile that Ablowitz and Zeppetella found" *
          doctest::skip(test::instrumented)) {
  // u_t = u_xx + u·(1 − u): u = (1 + exp(z/√6))⁻², z = x − 5t/√6 (Ablowitz and Zeppetella, 1979).
  const Real speed = 5 / std::sqrt(6.0);
  const auto exact = [speed](Real x, Real t) {
    return std::pow(1 + std::exp((x - speed * t) / std::sqrt(6.0)), -2);
  };
  Equation e = diffusion(1.0);
  e.reaction = Reaction::of([](Real u) { return u * (1 - u); });
  Problem p(Grid({Axis::uniform("x", -40, 120, 400, Unknowns::cells)}), e);
  p.initial = [exact](Point q) { return exact(q.x, 0); };
  p.boundary("west", dirichlet([exact](Real t) { return exact(-40, t); }))
      .boundary("east", dirichlet([exact](Real t) { return exact(120, t); }));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const Grid& g = p.grid();
  // Where the front falls through a quarter.
  const auto front = [&](const State& state) {
    for (Index i = 0; i + 1 < g.count(); ++i) {
      const Real here = state[static_cast<std::size_t>(i)], next = state[static_cast<std::size_t>(i + 1)];
      if (here > 0.25 && next <= 0.25) return g.point(i, 0, 0).x + 0.4 * (here - 0.25) / (here - next);
    }
    return 0.0;
  };
  march(balance, y, plan_of("crank-nicolson", 0.02, 10));
  const Real first = front(y);
  Problem later = p;
  later.initial = [y, &g](Point q) { return y[static_cast<std::size_t>(g.containing(q))]; };
  later.boundary("west", dirichlet([exact](Real t) { return exact(-40, t + 10); }))
      .boundary("east", dirichlet([exact](Real t) { return exact(120, t + 10); }));
  ProblemBalance going_on(later);
  State z = going_on.initial_state();
  march(going_on, z, plan_of("crank-nicolson", 0.02, 20));
  CHECK((front(z) - first) / 20 == doctest::Approx(speed).epsilon(5e-3));
  const Field end(g, z);
  CHECK(end.difference([&](const Point& q) { return exact(q.x, 30); }).max < 0.02);
}
