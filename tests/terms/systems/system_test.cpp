// Several unknowns at once: reactions between them, a vector that carries itself, and what each of them
// keeps.
#include <doctest/doctest.h>

#include "support/advected.hpp"
#include "support/pairs.hpp"
#include "williwaw/terms/problem_balance.hpp"

using namespace williwaw;
using namespace williwaw::test;

TEST_CASE("a pair that turns into each other keeps its sum, and each its decay") {
  // u' = −3u + v, v' = 3u − v on closed ground: u + v stays, u − v/3 falls as exp(−4t).
  const Grid g({Axis::uniform("x", 0, 1, 20, Unknowns::cells)});
  Equation first = diffusion(0.01), second = diffusion(0.02);
  first.unknown = "ice";
  second.unknown = "water";
  Problem u(g, first), v(g, second);
  u.initial = 2.0;
  v.initial = 1.0;
  u.default_boundary(insulated());
  v.default_boundary(insulated());
  ProblemBalance balance({u, v}, turning());
  CHECK(balance.layout().blocks().size() == 2);
  for (const char* name : {"rk4", "implicit-explicit", "crank-nicolson"}) {
    CAPTURE(name);
    State y = balance.initial_state();
    const Outcome o = advance_system(balance, y, name, 0.01, 0.5);
    CHECK(o.budget.worst_step() < 1e-10);
    CHECK(o.totals.content == doctest::Approx(3).epsilon(1e-10));
    CHECK(y[3] - y[23] / 3 == doctest::Approx((2 - 1.0 / 3) * std::exp(-2.0)).epsilon(2e-3));
  }
}

TEST_CASE("each unknown of a system has a budget of its own, which a line on another's account breaks") {
  const Grid g({Axis::uniform("x", 0, 1, 20, Unknowns::cells)});
  Equation first = diffusion(0.01, 2.0, 0.3), second = diffusion(0.02);
  first.unknown = "ice";
  second.unknown = "water";
  Problem u(g, first), v(g, second);
  u.initial = [](Point p) { return 2 + p.x; };
  v.initial = 1.0;
  u.boundary("west", flux(0.4)).default_boundary(insulated());
  v.boundary("east", dirichlet(0.2)).default_boundary(insulated());
  ProblemBalance balance({u, v}, turning());
  for (const char* name : {"explicit-euler", "rk4", "crank-nicolson", "bdf2"}) {
    CAPTURE(name);
    State y = balance.initial_state();
    const Outcome o = advance_system(balance, y, name, 0.01, 0.5);
    const std::vector<Totals> now = balance.totals_by_unknown(y, 0.5);
    REQUIRE(now.size() == 2);
    CHECK(now[0].content + now[1].content == doctest::Approx(o.totals.content));
    CHECK(now[0].content == doctest::Approx(2 * now[0].integral));
    // Solvers of implicit schemes leave a little.
    for (std::size_t k = 0; k < 2; ++k) CHECK(o.budget.relative_residual_of(k, now[k]) < 1e-9);
    std::vector<Real> numbers = o.budget.remember();
    const std::size_t lines = balance.lines().size();
    REQUIRE(numbers.size() == 6 + 2 + lines);
    const Budget again = Budget::recall(balance.lines(), o.budget.amounts(), numbers);
    CHECK(again.relative_residual_of(1, now[1]) == o.budget.relative_residual_of(1, now[1]));
    for (std::size_t l = 0; l < lines; ++l) {
      CAPTURE(balance.lines()[l].name);
      if (std::abs(o.budget.amounts()[l]) < 1e-6) continue;
      std::vector<Real> other = numbers;
      other[8 + l] = 1 - other[8 + l];
      const Budget wrong = Budget::recall(balance.lines(), o.budget.amounts(), other);
      for (std::size_t k = 0; k < 2; ++k) CHECK(wrong.relative_residual_of(k, now[k]) > 1e-3);
    }
  }
}

TEST_CASE("spots grow from a pair that diffuses unevenly, and not from one that does so alike" *
          doctest::skip(instrumented)) {
  // Activator and inhibitor (Turing, 1952), about their common rest.
  const auto spread = [](Real inhibitor) {
    Problem u(periodic_plan(24), diffusion(6e-4)), v(periodic_plan(24), diffusion(inhibitor));
    u.initial = [noise = smooth_noise(u.grid(), 0.01, 0.05, 5)](Point p) { return noise(p); };
    v.initial = 0.0;
    const SystemReaction react = [](const Points&, Real, std::span<const std::span<const Real>> y,
                                    std::span<std::span<Real>> out) {
      for (std::size_t i = 0; i < y[0].size(); ++i) {
        out[0][i] = y[0][i] - y[0][i] * y[0][i] * y[0][i] - y[1][i];
        out[1][i] = 3 * (1.5 * y[0][i] - y[1][i]);
      }
    };
    ProblemBalance balance({u, v}, react);
    State y = balance.initial_state();
    CHECK(advance_system(balance, y, "implicit-explicit", 0.1, 25).ending == Outcome::Ending::reached);
    const Field f = balance.field(y, 25, std::size_t{0});
    return f.highest() - f.lowest();
  };
  CHECK(spread(3e-2) > 0.5);
  CHECK(spread(6e-4) < 0.01);
}

TEST_CASE(
    "a vector that carries itself: one component is the quadratic flux twice over, both keep their totals") {
  // Along x alone u_t + (u²)_x = 0, which is the quadratic flux at half the time.
  Problem u(periodic_plan(40), diffusion(0.01)), v = u;
  u.initial = [](Point p) { return 1 + 0.5 * std::sin(2 * M_PI * p.x); };
  v.initial = 0.0;
  u.reconstruction = v.reconstruction = "van-leer";
  ProblemBalance pair({u, v}, {}, self_advecting_flux(2));
  State y = pair.initial_state();
  CHECK(pair.fastest(y) == doctest::Approx(2 * 1.5 * 40).epsilon(0.01));
  const Outcome o = advance_system(pair, y, "ssprk3", 0.002, 0.1);
  CHECK(o.budget.worst_step() < 1e-13);
  Problem one(periodic_line(40), conservation(quadratic_flux(), 0.005));
  one.initial = [](Point p) { return 1 + 0.5 * std::sin(2 * M_PI * p.x); };
  one.reconstruction = "van-leer";
  one.numerical_flux = "local-lax-friedrichs";
  const Advected run = advect(one, "ssprk3", 0.24, 60, 0.2);
  for (Index i = 0; i < 40; ++i) {
    CHECK(y[static_cast<std::size_t>(i)] ==
          doctest::Approx(run.state[static_cast<std::size_t>(i)]).epsilon(1e-6));
    CHECK(std::abs(y[static_cast<std::size_t>(1600 + i)]) < 1e-14);
  }
}

TEST_CASE("random vectors steepen and decay alike on two grids") {
  const auto energy = [](Index n) {
    const auto member = [n](std::uint64_t seed) {
      Problem p(periodic_plan(n), diffusion(0.01));
      p.initial = [noise = smooth_noise(p.grid(), 1, 0.12, seed)](Point q) { return noise(q); };
      p.reconstruction = "van-leer";
      return p;
    };
    ProblemBalance balance({member(1), member(2)}, {}, self_advecting_flux(2));
    State y = balance.initial_state();
    const Totals before = balance.totals(y, 0);
    const Outcome o = advance_system(balance, y, "ssprk3", 0.1 / static_cast<Real>(n), 0.1);
    CHECK(o.ending == Outcome::Ending::reached);
    CHECK(std::abs(o.totals.content - before.content) < 1e-12);
    Real sum = 0;
    for (const Real u : y) sum += u * u;
    return sum / static_cast<Real>(n * n);
  };
  const Real coarse = energy(24), fine = energy(48);
  CHECK(coarse == doctest::Approx(fine).epsilon(0.1));
  CHECK(fine < 1.7);
}

TEST_CASE("systems refuse what they cannot take") {
  Problem a(periodic_line(10), diffusion(1.0)), b(periodic_line(12), diffusion(1.0)),
      c(periodic_line(10), transport(Velocity(1.0)));
  CHECK_THROWS_AS(ProblemBalance({a, b}), InputError);
  // A velocity of its own beside a flux of all.
  CHECK_THROWS_AS(ProblemBalance({a, c}, {}, self_advecting_flux(2)), InputError);
  CHECK_THROWS_AS(ProblemBalance(std::vector<Problem>{}), InputError);
}

TEST_CASE("a flux of two components does not go with one unknown, nor with three") {
  const Problem one(periodic_plan(6), diffusion(0.01));
  CHECK_THROWS_WITH_AS(ProblemBalance({one}, {}, self_advecting_flux(2)),
                       "the flux is for 2 unknowns, and the system has 1", InputError);
  CHECK_THROWS_AS(ProblemBalance({one, one, one}, {}, self_advecting_flux(2)), InputError);
  CHECK_THROWS_AS(self_advecting_flux(0), InputError);
  CHECK_THROWS_AS(ProblemBalance(System{}), InputError);
  ProblemBalance two({one, one}, {}, self_advecting_flux(2));
  CHECK(two.unknowns().size() == 2);
}

TEST_CASE(
    "one unknown that carries itself between boundaries is the same as its conservation law, booked alike") {
  for (const char* reconstruction : {"first-order", "van-leer"}) {
    CAPTURE(std::string(reconstruction));
    const Grid g({Axis::uniform("x", 0, 1, 50, Unknowns::cells)});
    struct Square {
      Real flux(Real u) const { return u * u; }
      Real speed(Real u) const { return 2 * u; }
    };
    Problem alone(g, conservation(flux_law(Square{}), 0.002)), member(g, diffusion(0.002));
    alone.numerical_flux = "local-lax-friedrichs";
    for (Problem* p : {&alone, &member}) {
      p->reconstruction = reconstruction;
      p->initial = [](Point x) { return 0.5 + 0.4 * std::sin(6 * x.x); };
      p->boundary("west", dirichlet([](Point, Real t) { return 0.5 + 0.2 * std::sin(5 * t); }))
          .boundary("east", dirichlet(0.1));
    }
    ProblemBalance one(alone);
    ProblemBalance many({member}, {}, self_advecting_flux(1));
    State y = one.initial_state(), z = many.initial_state();
    REQUIRE(y == z);
    Plan plan;
    plan.scheme = scheme("ssprk3");
    plan.step = 0.002;
    plan.until = 0.6;
    const Outcome expected = march(one, y, plan), o = march(many, z, plan);
    CHECK(o.budget.worst_step() < 1e-12);
    // With slopes they differ beside boundaries, where the system takes the value on the boundary for its
    // ghosts.
    for (std::size_t n = 0; n + (reconstruction[0] == 'n' ? 0 : 3) < z.size(); ++n)
      CHECK(z[n] == doctest::Approx(y[n]).epsilon(reconstruction[0] == 'n' ? 1e-9 : 2e-3));
    for (std::size_t l = 0; l < many.lines().size(); ++l) {
      if (many.lines()[l].name.find("west") == std::string::npos) continue;
      CHECK(o.budget.amounts()[l] == doctest::Approx(expected.budget.amounts()[0]).epsilon(5e-3));
    }
  }
}

TEST_CASE("nodes that boundaries hold are booked for each unknown of a system") {
  const Grid g({Axis::uniform("x", 0, 1, 20, Unknowns::nodes)});
  Problem u(g, diffusion(1.0)), v(g, diffusion(0.5));
  u.boundary("west", dirichlet(1.0)).boundary("east", dirichlet(0.0));
  v.boundary("west", insulated()).boundary("east", dirichlet([](Point, Real t) { return t; }));
  ProblemBalance balance({u, v});
  State y = balance.initial_state();
  const Outcome o = advance_system(balance, y, "crank-nicolson", 0.02, 8);
  CHECK(o.budget.worst_step() < 1e-11);
  CHECK(balance.prescribed().size() == 3);
  // Settled: u is a straight line, v rises with its boundary, behind it by (1 - x²)/(2·0.5).
  for (Index n = 0; n <= 20; n += 4) {
    const Real x = static_cast<Real>(n) / 20;
    CHECK(y[n] == doctest::Approx(1 - x).epsilon(1e-9));
    CHECK(y[21 + n] == doctest::Approx(8 - (1 - x * x)).epsilon(1e-3));
  }
}

TEST_CASE("systems say which unknowns, grids and fluxes they cannot take") {
  const Grid g = periodic_line(8), other = periodic_line(9);
  const auto refusal = [](const std::vector<Problem>& members,
                          std::shared_ptr<const SystemFlux> flux) -> std::string {
    try {
      ProblemBalance balance(members, {}, std::move(flux));
    } catch (const InputError& e) {
      return e.what();
    }
    return "";
  };
  const Problem plain(g, diffusion(1.0));
  CHECK(refusal({}, nullptr) == "a system needs one unknown at least");
  CHECK(refusal({plain}, nullptr).empty());
  CHECK(refusal({plain, Problem(other, diffusion(1.0))}, nullptr) ==
        "the unknowns of a system share the axes of a grid");
  CHECK(refusal({plain}, self_advecting_flux(2)) == "the flux is for 2 unknowns, and the system has 1");
  CHECK_THROWS_WITH_AS(self_advecting_flux(0), "a flux needs one component at least", InputError);
  CHECK(refusal({Problem(g, transport(Velocity(1.0)))}, self_advecting_flux(1)) ==
        "'concentration': unknowns of a system with a flux are advected by that flux");
  CHECK(refusal({Problem(g, wave(1.0))}, nullptr) ==
        "'displacement': unknowns of a system are of first order in time");
  CHECK(refusal({Problem(g, conservation(quadratic_flux()))}, nullptr) ==
        "'u': unknowns of a system have a flux in common");
  Problem uneven(Grid({Axis("x", {0, 0.1, 0.3, 1}, Unknowns::cells, true)}), diffusion(1.0));
  CHECK(refusal({uneven}, self_advecting_flux(1)).empty());
  uneven.reconstruction = "weno5";
  CHECK(refusal({uneven}, self_advecting_flux(1)) ==
        "reconstruction 'weno5' needs uniform axes; take a limited one, van-leer for example");
  CHECK(refusal({uneven}, nullptr).empty());
  Problem round(Grid({Axis::radial(Coordinates::cylindrical, {0, 0.5, 1}, Unknowns::cells)}), diffusion(1.0));
  round.default_boundary(insulated());
  CHECK(refusal({round}, self_advecting_flux(1)) == "a system with a flux needs axes x, y and z");
  const Regions pier({{"pier", inside([](Point q) { return q.x < 0.3 && q.y < 0.3; }), false}});
  Problem cut(
      Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells), Axis::uniform("y", 0, 1, 8, Unknowns::cells)}),
      diffusion(1.0), pier);
  cut.default_boundary(insulated());
  CHECK(refusal({cut}, self_advecting_flux(1)) == "a system with a flux needs a whole rectangle");
}

TEST_CASE("one unknown that carries itself with two flows out at its ends what the flux says") {
  // f(u) = u²: Riemann's problem of a shock from 2 to 1 that runs with (4 − 1)/(2 − 1) = 3.
  for (const char* reconstruction : {"first-order", "minmod", "van-leer"}) {
    CAPTURE(reconstruction);
    Problem p(Grid({Axis::uniform("x", 0, 1, 100, Unknowns::cells)}), diffusion(1e-9));
    p.initial = [](Point q) { return q.x < 0.2 ? 2.0 : 1.0; };
    p.reconstruction = reconstruction;
    p.boundary("west", dirichlet(2.0)).boundary("east", dirichlet(1.0));
    ProblemBalance balance({p}, {}, self_advecting_flux(1));
    State y = balance.initial_state();
    CHECK(balance.fastest(y) == doctest::Approx(4 * 100));
    const Outcome o = advance_system(balance, y, "ssprk3", 1e-3, 0.2);
    CHECK(o.budget.worst_step() < 1e-12);
    // 4 came in and 1 went out each second.
    CHECK(o.totals.content == doctest::Approx(1.2 + 0.2 * 3).epsilon(1e-3));
    CHECK(y[68] == doctest::Approx(2).epsilon(5e-3));
    CHECK(y[92] == doctest::Approx(1).epsilon(5e-3));
  }
}

TEST_CASE("a system whose axes and components change places is the same system") {
  // Open, prescribed and closed boundaries along each axis: rates and flows of the turned problem are the
  // turned ones.
  const auto made = [](bool turned, const char* reconstruction) {
    const Axis first = Axis::uniform(turned ? "y" : "x", 0, 1, 9, Unknowns::cells),
               second = Axis::uniform(turned ? "x" : "y", 0, 0.8, 6, Unknowns::cells);
    const Grid g(turned ? std::vector<Axis>{second, first} : std::vector<Axis>{first, second});
    std::vector<Problem> members;
    for (const bool along : {true, false}) {
      Problem p(g, diffusion(0.02));
      p.reconstruction = reconstruction;
      p.initial = [turned, along](Point q) {
        const Real a = turned ? q.y : q.x, b = turned ? q.x : q.y;
        return along ? 1 + 0.4 * std::sin(5 * a + 2 * b) : 0.6 + 0.3 * std::cos(4 * b - 3 * a);
      };
      p.boundary(turned ? "south" : "west", dirichlet(0.9))
          .boundary(turned ? "north" : "east", gradient(0.0));
      p.boundary(turned ? "west" : "south", gradient(0.0))
          .boundary(turned ? "east" : "north", dirichlet(0.3));
      members.push_back(p);
    }
    if (turned) std::swap(members[0], members[1]);
    return members;
  };
  for (const char* reconstruction : {"first-order", "van-leer"}) {
    CAPTURE(reconstruction);
    ProblemBalance as_is(made(false, reconstruction), {}, self_advecting_flux(2)),
        turned(made(true, reconstruction), {}, self_advecting_flux(2));
    const State y = as_is.initial_state(), z = turned.initial_state();
    State f(y.size()), g(z.size());
    Ledger of_f(as_is.lines().size()), of_g(turned.lines().size());
    as_is.rate(y, 0, Parts::all(), f, of_f);
    turned.rate(z, 0, Parts::all(), g, of_g);
    for (Index m = 0; m < 2; ++m)
      for (Index j = 0; j < 6; ++j)
        for (Index i = 0; i < 9; ++i)
          CHECK(f[static_cast<std::size_t>(54 * m + i + 9 * j)] ==
                doctest::Approx(g[static_cast<std::size_t>(54 * (1 - m) + j + 6 * i)]).epsilon(1e-12));
    CHECK(of_f.sum() == doctest::Approx(of_g.sum()));
    CHECK(of_f.gross() == doctest::Approx(of_g.gross()));
    Real sum = 0;
    for (const Real one : f) sum += one;
    CHECK(sum == doctest::Approx(of_f.sum()));
  }
}

TEST_CASE("a system's flows stand on the lines of the conditions that let them through") {
  const auto line_called = [](const ProblemBalance& balance, const std::string& name) {
    for (std::size_t l = 0; l < balance.lines().size(); ++l)
      if (balance.lines()[l].name == name) return l;
    FAIL("no line " << name);
    return std::size_t{0};
  };
  // f = u² of u = 2 everywhere, and a flux of its own through the west: a sign for each side.
  Equation still = diffusion(1e-3);
  still.unknown = "ice";
  Problem p(Grid({Axis::uniform("x", 0, 1, 12, Unknowns::cells)}), still);
  p.boundary("west", gradient(0.0) + flux(3.0)).boundary("east", flux(-0.5) + gradient(0.0));
  p.initial = 2.0;
  ProblemBalance line({p}, {}, self_advecting_flux(1));
  State y = line.initial_state(), f(y.size());
  Ledger ledger(line.lines().size());
  line.rate(y, 0, Parts::all(), f, ledger);
  CHECK(ledger[line_called(line, "ice west: gradient")] == doctest::Approx(4));
  CHECK(ledger[line_called(line, "ice west: flux")] == doctest::Approx(3));
  CHECK(ledger[line_called(line, "ice east: gradient")] == doctest::Approx(-4));
  CHECK(ledger[line_called(line, "ice east: flux")] == doctest::Approx(-0.5));
  Real sum = 0;
  for (const Real one : f) sum += one;
  CHECK(sum == doctest::Approx(ledger.sum()));
  // A door in the side gets what passes through itself: 3 of 8 cells.
  Equation moving = diffusion(1e-3);
  moving.unknown = "floes";
  Problem workspace(
      Grid({Axis::uniform("x", 0, 1, 6, Unknowns::cells), Axis::uniform("y", 0, 1, 8, Unknowns::cells)}),
      moving);
  workspace.boundary("west", insulated()).default_boundary(gradient(0.0));
  workspace.part({"door", "west", "", inside([](const Point& at) { return at.y < 0.375; }), gradient(0.0)});
  workspace.initial = 2.0;
  ProblemBalance plan({workspace}, {}, self_advecting_flux(1));
  y = plan.initial_state();
  f.resize(y.size());
  Ledger of_plan(plan.lines().size());
  plan.rate(y, 0, Parts::all(), f, of_plan);
  CHECK(of_plan[line_called(plan, "floes door: gradient")] == doctest::Approx(4 * 0.375));
  CHECK(of_plan[line_called(plan, "floes west: insulated")] == 0);
  CHECK(of_plan[line_called(plan, "floes east: gradient")] == doctest::Approx(-4));
}
