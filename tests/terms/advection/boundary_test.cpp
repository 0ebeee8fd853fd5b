// Ends of the advected quantity: inflow, outflow, boundaries that are closed, outlets under backflow.
#include <doctest/doctest.h>

#include <array>
#include <atomic>
#include <map>

#include "support/advected.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Grid open_line(Index cells) {
  return Grid({Axis::uniform("x", 0, 1, cells, Unknowns::cells)});
}

Real line_amount(const Advected& run, const std::string& name) {
  for (std::size_t l = 0; l < run.lines.size(); ++l)
    if (run.lines[l].name == name) return run.outcome.budget.amounts()[l];
  FAIL("no such line: " << name);
  return 0;
}

}  // namespace

TEST_CASE("what comes in by a value in time leaves at the other end") {
  const auto signal = [](Real t) { return t < 0 ? 0.0 : std::sin(3 * t) * std::sin(3 * t); };
  const auto error = [&](Index cells) {
    Problem p(open_line(cells), transport(Velocity(1.0)));
    p.reconstruction = "van-leer";
    p.boundary("west", dirichlet(signal)).boundary("east", outflow());
    const Advected run = advect(p, "ssprk3", 0.45, static_cast<Real>(cells), 1.7);
    CHECK(run.outcome.budget.worst_step() < 1e-13);
    // ∫ sin²(3t) dt up to 1.7 came in; what left came in before 0.7.
    const auto integral = [](Real t) { return 0.5 * t - std::sin(6 * t) / 12; };
    CHECK(line_amount(run, "west: dirichlet") == doctest::Approx(integral(1.7)).epsilon(1e-3));
    CHECK(line_amount(run, "east: outflow") == doctest::Approx(-integral(0.7)).epsilon(0.02));
    return mean_error(p, run.state, [&](Point q) { return signal(1.7 - q.x); });
  };
  CHECK(order_between(error(80), error(160)) > 1.7);
}

TEST_CASE("nothing leaves through closed boundaries, and a total flux is all that comes in") {
  Problem p(open_line(50), transport(Velocity(-0.7), 0.01));
  p.initial = [](Point q) { return 1 + std::cos(3 * q.x); };
  p.reconstruction = "monotonized-central";
  p.boundary("west", insulated()).boundary("east", flux(0.25));
  const Advected run = advect(p, "ssprk3", 0.4, 100, 2);
  CHECK(line_amount(run, "west: insulated") == 0);
  CHECK(line_amount(run, "east: flux") == doctest::Approx(0.5).epsilon(1e-12));
  CHECK(run.outcome.budget.worst_step() < 1e-13);
}

TEST_CASE("what leaves has the value inside or the boundary's own, by the condition and the flux") {
  // u = 2 everywhere, velocity 1, diffusivity 0.01, cells of 0.1.
  struct Row {
    const char* flux;
    Boundary boundary;
    Real flow;
  };
  for (const Row& row : {Row{"upwind", gradient(0.4), -(2 + 0.4 * 0.05) + 0.01 * 0.4},
                         Row{"central", gradient(0.4), -(2 + 0.4 * 0.05) + 0.01 * 0.4},
                         Row{"upwind", dirichlet(5.0), -2 + 0.01 * 3 / 0.05},
                         Row{"central", dirichlet(5.0), -5 + 0.01 * 3 / 0.05}, Row{"upwind", outflow(), -2}})
    for (const bool east : {true, false}) {
      CAPTURE(std::string(row.flux));
      CAPTURE(row.flow);
      Problem p(open_line(10), transport(Velocity(east ? 1.0 : -1.0), 0.01));
      p.numerical_flux = row.flux;
      p.initial = 2.0;
      p.boundary(east ? "east" : "west", row.boundary).boundary(east ? "west" : "east", dirichlet(2.0));
      ProblemBalance balance(p);
      State f(10);
      Ledger ledger(balance.lines().size());
      balance.rate(State(10, 2.0), 0, Parts::all(), f, ledger);
      const std::string side = east ? "east" : "west";
      for (std::size_t l = 0; l < balance.lines().size(); ++l)
        CHECK(ledger[l] == doctest::Approx(balance.lines()[l].side == side   ? row.flow
                                           : balance.lines()[l].side.empty() ? 0.0
                                                                             : 2.0));
      CHECK(f[east ? 9 : 0] == doctest::Approx(2 + row.flow));
    }
}

TEST_CASE("velocities are those in the middle of faces, on uneven axes of every rank") {
  const std::vector<std::vector<Real>> faces{{0.3, 0.4, 0.7, 1.1}, {1, 1.5, 1.6}, {-1, -0.4, 0.2, 0.3}};
  const std::array<std::function<Real(const Point&)>, 3> v{
      [](const Point& p) { return 1 + p.x + 2 * p.y - p.z; },
      [](const Point& p) { return 2 - 3 * p.x + p.y * p.z; },
      [](const Point& p) { return p.x * p.y + 0.5 * p.z; }};
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (std::size_t dimension = 1; dimension <= 3; ++dimension) {
      std::vector<Axis> axes;
      for (std::size_t a = 0; a < dimension; ++a)
        axes.push_back(Axis(std::string(1, "xyz"[a]), faces[a], unknowns));
      std::array<Function, 3> along{0.0, 0.0, 0.0};
      for (std::size_t a = 0; a < dimension; ++a) along[a] = v[a];
      Problem p(Grid(axes), transport(Velocity(along[0], along[1], along[2])));
      p.default_boundary(outflow());
      ProblemBalance balance(p);
      const auto advection = balance.advection(0, balance.initial_state());
      const auto& velocities = advection->velocities();
      const Grid& g = p.grid();
      for (int axis = 0; axis < static_cast<int>(dimension); ++axis)
        for (Index n = 0; n < g.count(); ++n) {
          const auto at = g.position(n);
          Point face;
          for (int a = 0; a < static_cast<int>(dimension); ++a) {
            const auto bounds = g.axis(a).bounds();
            const auto i = static_cast<std::size_t>(at[static_cast<std::size_t>(a)]);
            face[a] = a == axis ? bounds[i] : 0.5 * (bounds[i] + bounds[i + 1]);
          }
          CHECK(velocities.row(axis, at[1], at[2])[at[0]] ==
                doctest::Approx(v[static_cast<std::size_t>(axis)](face)).epsilon(1e-12));
        }
    }
}

TEST_CASE("what advection brings is booked by the condition that lets it in") {
  // A flux from a sill beside a slope that is given: the flux passes by itself, the flow with the other.
  Problem p(open_line(50), transport(Velocity(0.4), 0.02));
  p.initial = 1.0;
  p.reconstruction = "van-leer";
  p.boundary("west", flux(0.05) + gradient(0.0)).boundary("east", outflow());
  const Advected run = advect(p, "ssprk3", 0.3, 20 + 4 * 0.02 * 2500, 0.5);
  CHECK(line_amount(run, "west: flux") == doctest::Approx(0.025).epsilon(1e-12));
  CHECK(line_amount(run, "west: gradient") > 0.19);
  CHECK(run.outcome.budget.worst_step() < 1e-13);
}

TEST_CASE("a diffusive flux leaves the flow out") {
  // Steady: v·u − D·u' is the same everywhere.
  Problem p(open_line(200), transport(Velocity(1.0), 0.05));
  p.boundary("west", dirichlet(2.0)).boundary("east", diffusive_flux(0.1));
  p.numerical_flux = "central";
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const SteadyOutcome found = solve_steady(balance, y);
  CHECK(found.reached);
  // u = 2 + c·(exp(x/D) − 1)·.., with D·u'(1) = 0.1
  const auto exact = [](Real x) { return 2 + 0.1 * (std::exp((x - 1) / 0.05) - std::exp(-1 / 0.05)); };
  for (Index i = 0; i < 200; ++i) CHECK(y[i] == doctest::Approx(exact(p.grid().point(i).x)).epsilon(2e-4));
}

TEST_CASE("totals stay in closed and periodic domains, whatever the velocity does") {
  const auto axis = [](const char* name, bool periodic) {
    std::vector<Real> faces;
    for (int i = 0; i <= 12; ++i) faces.push_back(i / 12.0);
    return Axis(name, faces, Unknowns::cells, periodic);
  };
  for (const bool periodic : {false, true})
    for (const char* scheme_name :
         {"explicit-euler", "ssprk3", "rk4", "implicit-euler", "crank-nicolson", "implicit-explicit", "bdf2"})
      for (const char* name : {"first-order", "van-leer"}) {
        if (instrumented && std::string(name) == "first-order") continue;
        CAPTURE(periodic);
        CAPTURE(scheme_name);
        CAPTURE(name);
        Problem p(Grid({axis("x", periodic), axis("y", periodic)}),
                  transport(Velocity([](Point q,
                                        Real t) { return std::sin(6 * q.y + t) + 0.4 * std::cos(5 * q.x); },
                                     [](Point q) { return std::cos(7 * q.x); }),
                            0.003));
        p.initial = [](Point q) { return 1 + std::sin(9 * q.x) * std::cos(4 * q.y); };
        p.reconstruction = name;
        if (!periodic) p.default_boundary(insulated());
        const Advected run = advect(p, scheme_name, 0.3, 45, 0.15);
        CHECK(run.outcome.budget.worst_step() < 1e-12);
        const ProblemBalance balance(p);
        const Real before = ProblemBalance(p).totals(run.start, 0).content;
        CHECK(std::abs(run.outcome.totals.content - before) < 3e-10 * run.outcome.totals.gross);
      }
}

TEST_CASE("the advective form keeps a uniform value where a velocity compresses") {
  Problem p(open_line(40), transport(Velocity([](Point q) { return 1 - 0.8 * q.x; })));
  p.initial = 3.0;
  p.boundary("west", dirichlet(3.0)).boundary("east", outflow());
  const auto end = [&](bool conservative) {
    Problem q = p;
    Equation e = p.equation();
    e.advection->conservative = conservative;
    Problem r(p.grid(), e);
    r.initial = 3.0;
    r.boundary("west", dirichlet(3.0)).boundary("east", outflow());
    const Advected run = advect(r, "ssprk3", 0.4, 40, 1);
    CHECK(run.outcome.budget.worst_step() < 1e-13);
    return run.outcome.totals;
  };
  CHECK(end(false).highest == doctest::Approx(3).epsilon(1e-12));
  CHECK(end(true).highest > 6);
  ProblemBalance balance(p);
  const auto transport = balance.advection(0, balance.initial_state());
  CHECK(transport->velocities().compresses());
  CHECK(transport->velocities().compressing() == doctest::Approx(0.8));
  CHECK(transport->velocities().expanding() == 0);
  Problem wider(open_line(40), williwaw::transport(Velocity([](Point x) { return 1 + 0.6 * x.x; })));
  wider.boundary("west", dirichlet(3.0)).boundary("east", outflow());
  ProblemBalance expanding(wider);
  const auto apart = expanding.advection(0, expanding.initial_state());
  CHECK(apart->velocities().compresses());
  CHECK(apart->velocities().expanding() == doctest::Approx(0.6));
  CHECK(apart->velocities().compressing() == 0);
}

namespace {

// A basin with a mouth in the east through which the tide runs in and out, faster on one side of it.
Problem basin(const Boundary& mouth) {
  const auto axis = [](const char* name, Index n) { return Axis::uniform(name, 0, 1, n, Unknowns::cells); };
  const auto psi = [](Point q, Real t) {
    // Out in the north of the mouth, in in its south, and turning about with the tide.
    return 0.6 * std::sin(2 * M_PI * t) * q.x * q.x * std::sin(2 * M_PI * q.y) / (2 * M_PI) +
           0.15 * q.x * q.x * std::sin(M_PI * q.y);
  };
  Problem p(Grid({axis("x", 24), axis("y", 24)}), transport(Velocity::of_stream_function(psi)));
  p.initial = [](Point q) { return std::exp(-20 * ((q.x - 0.7) * (q.x - 0.7) + (q.y - 0.4) * (q.y - 0.4))); };
  p.reconstruction = "van-leer";
  p.boundary("east", mouth).default_boundary(insulated());
  return p;
}

}  // namespace

TEST_CASE("outlets under backflow stay stable for twenty cycles, and a plain one does not" *
          doctest::skip(instrumented)) {
  const Real fastest = 24 * 1.5;
  for (const Boundary& mouth : {outflow_with_backflow(0.0), outflow_with_stabilization()}) {
    const Advected run = advect(basin(mouth), "ssprk3", 0.45, fastest, 20);
    CHECK(run.outcome.ending == Outcome::Ending::reached);
    CHECK(run.outcome.totals.highest < 1);
    CHECK(run.outcome.totals.lowest > -1e-9);
    CHECK(run.outcome.budget.worst_step() < 1e-12);
  }
  const Advected plain = advect(basin(outflow()), "ssprk3", 0.45, fastest, 20);
  CHECK(plain.outcome.ending == Outcome::Ending::blew_up);
  CHECK(plain.outcome.time < 19);
}

TEST_CASE("a velocity is made free of divergence, and says what that changed") {
  const auto axis = [](const char* name, Index n) { return Axis::uniform(name, 0, 1, n, Unknowns::cells); };
  Velocity v([](Point q) { return 1 + 0.3 * std::sin(5 * q.y) * q.x; },
             [](Point q) { return 0.2 * std::cos(4 * q.x); });
  v.divergence_free = true;
  const std::vector<Region> cut{
      {"islet", inside([](const Point& q) { return std::hypot(q.x - 0.5, q.y - 0.5) < 0.2; }), false}};
  Problem p(Grid({axis("x", 30), axis("y", 20)}), transport(v, 1e-3), Regions(cut));
  p.boundary("west", dirichlet(1.0)).boundary("east", outflow()).default_boundary(insulated());
  ProblemBalance balance(p);
  const auto advection = balance.advection(0, balance.initial_state());
  const auto& velocities = advection->velocities();
  CHECK(!velocities.compresses());
  CHECK(velocities.correction().fraction > 0.05);
  CHECK(velocities.correction().divergence_before > 0.1);
  // A uniform value is then a steady state.
  State one(static_cast<std::size_t>(p.grid().count()), 1.0), f(one.size());
  for (const Index n : balance.inactive()) one[n] = 0;
  Ledger ledger(balance.lines().size());
  balance.rate(one, 0, Parts::all(), f, ledger);
  CHECK(largest_difference(f, State(f.size(), 0.0)) < 1e-12);
}

TEST_CASE("instants are joined linearly in time and repeat") {
  Velocity v([](Point, Real t) { return t * t; });
  v.instants = {0, 1, 2, 3};
  v.period = 4;
  Problem p(periodic_line(8), transport(v));
  ProblemBalance balance(p);
  const State y = balance.initial_state();
  const auto at = [&](Real t) { return balance.advection(t, y)->velocities().row(0, 0, 0)[3]; };
  CHECK(at(1) == doctest::Approx(1));
  CHECK(at(1.5) == doctest::Approx(2.5));
  CHECK(at(3.5) == doctest::Approx(4.5));  // on the way from 9 back to 0
  CHECK(at(6.5) == doctest::Approx(6.5));
  CHECK(at(0.25) == doctest::Approx(0.25));
  // The first instant need not be zero; times before it belong to the cycle before.
  Velocity late([](Point, Real t) { return t * t; });
  late.instants = {1, 2, 4};
  late.period = 4;
  Problem q(periodic_line(8), transport(late));
  ProblemBalance repeats(q);
  const auto then = [&](Real t) { return repeats.advection(t, y)->velocities().row(0, 0, 0)[3]; };
  CHECK(then(1) == doctest::Approx(1));
  CHECK(then(3) == doctest::Approx(10));
  CHECK(then(4.5) == doctest::Approx(8.5));  // half-way from 16 back to 1
  CHECK(then(0.5) == doctest::Approx(8.5));
  CHECK(then(7) == doctest::Approx(10));
}

TEST_CASE("instants are read once, however often times between them are asked for") {
  const auto calls = std::make_shared<std::atomic<Index>>(0);
  Velocity v([calls](Point q, Real t) {
    ++*calls;
    return t + q.x;
  });
  v.instants = {0, 1, 2, 3};
  v.period = 4;
  Problem p(periodic_line(8), transport(v));
  ProblemBalance balance(p);
  const State y = balance.initial_state();
  for (const Real t : {0.5, 1.5, 2.5, 3.5}) balance.advection(t, y);
  const Index once = *calls;
  for (const Real t : {0.7, 3.9, 2.1, 1.0, 6.5, 0.2}) balance.advection(t, y);
  CHECK(once > 0);
  CHECK(*calls == once);
}

TEST_CASE("a velocity in time is that of the time that is asked for, whatever was asked before") {
  Problem p(periodic_line(8), transport(Velocity([](Point, Real t) { return 1 + t; })));
  ProblemBalance balance(p);
  const State y = balance.initial_state();
  for (const Real t : {0.0, 1.0, 1.0, 0.5, 3.0, 0.0})
    CHECK(balance.advection(t, y)->velocities().row(0, 0, 0)[3] == doctest::Approx(1 + t));
}

TEST_CASE(
    "slopes know uneven distances: a linear profile moves on exactly, between cells and between nodes") {
  // Neighbouring distances differ by less than a factor of two; beyond that slopes are smaller.
  const std::vector<Real> faces{0, 0.1, 0.25, 0.35, 0.42, 0.555, 0.75, 0.85, 1.045, 1.145, 1.2};
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const char* reconstruction : {"minmod", "van-leer", "monotonized-central", "superbee"})
      for (const Real velocity : {1.5, -1.5}) {
        CAPTURE(std::string(reconstruction));
        Problem p(Grid({Axis("x", faces, unknowns)}), transport(Velocity(velocity)));
        p.reconstruction = reconstruction;
        p.initial = [](Point q) { return 2 + 3 * q.x; };
        const char *inlet = velocity > 0 ? "west" : "east", *outlet = velocity > 0 ? "east" : "west";
        p.boundary(inlet, dirichlet(velocity > 0 ? 2.0 : 5.0)).boundary(outlet, outflow());
        ProblemBalance balance(p);
        const Grid& g = p.grid();
        State y(static_cast<std::size_t>(g.count())), f(y.size());
        for (Index n = 0; n < g.count(); ++n) y[n] = 2 + 3 * g.point_of(n).x;
        Ledger ledger(balance.lines().size());
        balance.rate(y, 0, Parts::all(), f, ledger);
        for (Index n = 2; n < g.count() - 2; ++n) {
          const auto bounds = g.axis(0).bounds();
          CHECK(f[n] == doctest::Approx(-velocity * 3 * (bounds[n + 1] - bounds[n])).epsilon(1e-11));
        }
      }
  // At an outlet of even cells, too: what leaves has the value on the boundary.
  for (const bool east : {true, false}) {
    Problem p(open_line(10), transport(Velocity(east ? 1.5 : -1.5)));
    p.reconstruction = "van-leer";
    p.boundary(east ? "west" : "east", dirichlet(east ? 2.0 : 5.0))
        .boundary(east ? "east" : "west", outflow());
    ProblemBalance balance(p);
    State y(10), f(10);
    for (Index n = 0; n < 10; ++n) y[n] = 2 + 3 * p.grid().point_of(n).x;
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    for (std::size_t l = 0; l < balance.lines().size(); ++l)
      if (balance.lines()[l].side == (east ? "east" : "west"))
        CHECK(ledger[l] == doctest::Approx(-1.5 * (east ? 5 : 2)).epsilon(1e-12));
    // Beside the inlet slopes look at the value on the boundary.
    for (Index n = 1; n < 9; ++n)
      CHECK(f[n] == doctest::Approx((east ? -1.5 : 1.5) * 3 * 0.1).epsilon(1e-11));
  }
}

TEST_CASE("beside a cut-out slopes do without what is gone, on one side or both") {
  const Regions pier(
      {{"pier", inside([](Point q) { return std::abs(q.x - 0.5) < 0.125 && std::abs(q.y - 0.5) < 0.125; }),
        false}});
  const auto rates = [&](const char* reconstruction, Real speed) {
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 16, Unknowns::cells), Axis::uniform("y", 0, 1, 16, Unknowns::cells)}),
        transport(Velocity(speed, 0.0)), pier);
    p.reconstruction = reconstruction;
    p.boundary("pier", outflow()).default_boundary(outflow());
    ProblemBalance balance(p);
    State y(256, 0.0), f(256);
    for (Index n = 0; n < 256; ++n) {
      const Real x = p.grid().point_of(n).x;
      if (balance.outline().active(n)) y[n] = 1 + x + x * x;
    }
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    return f;
  };
  const auto at = [](const State& f, Index i, Index j) { return f[static_cast<std::size_t>(i + 16 * j)]; };
  const State none = rates("first-order", 1), none_back = rates("first-order", -1);
  for (const char* limited : {"minmod", "van-leer", "monotonized-central", "superbee"}) {
    CAPTURE(limited);
    const State sloped = rates(limited, 1), back = rates(limited, -1);
    // The pier takes cells 6 to 9 of both axes. The slope in cell 10 would look at cell 9, that in cell 5 at
    // cell 6.
    CHECK(at(sloped, 10, 8) == doctest::Approx(at(none, 10, 8)).epsilon(1e-12));
    CHECK(at(back, 5, 8) == doctest::Approx(at(none_back, 5, 8)).epsilon(1e-12));
    // Elsewhere slopes count, and upstream of the pier they are those of the open water.
    for (const Index i : {3, 4, 12}) {
      CHECK(std::abs(at(sloped, i, 8) - at(none, i, 8)) > 1e-4);
      CHECK(at(sloped, i, 8) == doctest::Approx(at(sloped, i, 2)).epsilon(1e-12));
    }
  }
}

TEST_CASE("axes that change places change nothing: uneven ones, slopes and ends along each of them") {
  const std::vector<std::vector<Real>> faces{
      {0, 0.1, 0.25, 0.45, 0.5, 0.8, 1}, {0, 0.2, 0.3, 0.6, 0.7, 1.1}, {0, 0.3, 0.4, 0.8, 1}};
  const std::array<Real, 3> speed{1.0, -0.6, 0.4};
  const auto value = [](Real a, Real b, Real c) {
    return std::sin(4 * a + 1) + a * b * b + std::cos(3 * b + c) * (1 + c);
  };
  for (int dimension = 2; dimension <= (instrumented ? 2 : 3); ++dimension)
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
      for (const auto& [reconstruction, flux] : {std::pair{"first-order", "upwind"},
                                                 {"first-order", "hybrid"},
                                                 {"first-order", "power-law"},
                                                 {"first-order", "central"},
                                                 {"minmod", "upwind"},
                                                 {"van-leer", "upwind"},
                                                 {"monotonized-central", "upwind"},
                                                 {"superbee", "upwind"}}) {
        const std::string numerical_flux = flux, slopes = reconstruction;
        CAPTURE(dimension);
        CAPTURE(slopes);
        CAPTURE(numerical_flux);
        // order[a]: which of the directions lies along axis a.
        const auto rates = [&](const std::array<int, 3>& order) {
          std::vector<Axis> axes;
          for (int a = 0; a < dimension; ++a)
            axes.push_back(Axis(std::string(1, "xyz"[a]),
                                faces[static_cast<std::size_t>(order[static_cast<std::size_t>(a)])],
                                unknowns));
          std::array<Real, 3> along{0, 0, 0};
          for (std::size_t a = 0; a < static_cast<std::size_t>(dimension); ++a)
            along[a] = speed[static_cast<std::size_t>(order[a])];
          Problem p(Grid(axes), transport(Velocity(along[0], along[1], along[2]), 0.01));
          p.reconstruction = slopes;
          p.numerical_flux = numerical_flux;
          p.default_boundary(outflow_with_backflow(0.3));
          ProblemBalance balance(p);
          const Grid& g = p.grid();
          State y(static_cast<std::size_t>(g.count())), f(y.size());
          std::array<std::size_t, 3> back{0, 1, 2};
          for (std::size_t a = 0; a < static_cast<std::size_t>(dimension); ++a)
            back[static_cast<std::size_t>(order[a])] = a;
          for (Index n = 0; n < g.count(); ++n) {
            const Point q = g.point_of(n);
            const std::array<Real, 3> at{q.x, q.y, q.z};
            y[static_cast<std::size_t>(n)] =
                value(at[back[0]], at[back[1]], dimension == 3 ? at[back[2]] : 0);
          }
          Ledger ledger(balance.lines().size());
          balance.rate(y, 0, Parts::all(), f, ledger);
          // By their places in the first order.
          std::map<std::array<Index, 3>, Real> by_place;
          for (Index n = 0; n < g.count(); ++n) {
            const auto at = g.position(n);
            by_place[{at[back[0]], at[back[1]], at[back[2]]}] = f[static_cast<std::size_t>(n)];
          }
          return by_place;
        };
        const auto first = rates({0, 1, 2});
        for (const std::array<int, 3>& order :
             {std::array{1, 0, 2}, std::array{2, 0, 1}, std::array{1, 2, 0}}) {
          if (dimension == 2 && order[2] != 2) continue;
          const auto other = rates(order);
          REQUIRE(other.size() == first.size());
          for (const auto& [place, rate] : first)
            CHECK(other.at(place) == doctest::Approx(rate).epsilon(1e-11));
        }
      }
}

TEST_CASE("the limit of advection with diffusion does not depend on the direction of its axis") {
  const std::vector<Real> faces{0, 0.02, 0.05, 0.1, 0.2, 0.4, 0.7, 1};
  std::vector<Real> turned;
  for (auto m = faces.rbegin(); m != faces.rend(); ++m) turned.push_back(1 - *m);
  const auto limit = [&](const std::vector<Real>& of, Real speed, const Function& diffusivity) {
    Equation e = transport(Velocity(speed));
    e.diffusion.coefficient[0] = diffusivity;
    Problem p(Grid({Axis("x", of, Unknowns::cells)}), e);
    p.default_boundary(outflow());
    return verify::stability(p, scheme("ssprk3"), 1e-4);
  };
  for (const Real strength : {0.01, 0.1, 1.0}) {
    CAPTURE(strength);
    const auto one = limit(faces, 1, [=](Point q) { return strength * (0.1 + q.x); }),
               other = limit(turned, -1, [=](Point q) { return strength * (1.1 - q.x); });
    CHECK(one.interior.step == doctest::Approx(other.interior.step).epsilon(1e-9));
    CHECK(one.limit.step == doctest::Approx(other.limit.step).epsilon(1e-9));
    CHECK(one.positivity.step == doctest::Approx(other.positivity.step).epsilon(1e-9));
  }
}
