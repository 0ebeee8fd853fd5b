// Semi-Lagrangian advection: long steps, extremes that stay, what comes in through boundaries.
#include <doctest/doctest.h>

#include "support/advected.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

TEST_CASE("a smooth wave is looked up at any Courant number, ever better on finer grids") {
  const auto shape = [](Real x) { return std::exp(std::sin(2 * M_PI * x)); };
  const auto error = [&](Index cells, Real courant) {
    Problem p(periodic_line(cells), transport(Velocity(1.0)));
    p.initial = [shape](Point q) { return shape(q.x); };
    const Advected run = advect(p, "semi-lagrangian", courant, static_cast<Real>(cells), 0.63);
    CHECK(run.outcome.totals.highest <= std::exp(1.0));
    CHECK(run.outcome.totals.lowest >= std::exp(-1.0));
    CHECK(run.outcome.budget.worst_step() < 1e-13);
    return mean_error(p, run.state, [=](Point q) { return shape(q.x - 0.63); });
  };
  for (const Real courant : {0.3, 4.7}) {
    CAPTURE(courant);
    CHECK(order_between(error(40, courant), error(80, courant)) > 1.9);
  }
  // Fewer steps look up less often, and so lose less.
  CHECK(error(80, 4.7) < 0.6 * error(80, 0.3));
}

TEST_CASE("looking back is exact for linear profiles, beside ends too") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const Real velocity : {1.0, -1.0}) {
      Problem p(Grid({Axis("x", {0, 0.1, 0.25, 0.4, 0.5, 0.65, 0.8, 0.9, 1}, unknowns)}),
                transport(Velocity(velocity)));
      p.initial = [](Point q) { return 2 + 3 * q.x; };
      p.boundary(velocity > 0 ? "west" : "east", dirichlet(velocity > 0 ? 2.0 : 5.0))
          .boundary(velocity > 0 ? "east" : "west", outflow());
      ProblemBalance balance(p, built_for("semi-lagrangian"));
      State y = balance.initial_state();
      march(balance, y, plan_of("semi-lagrangian", 0.04, 0.04));
      const Index last = p.grid().count() - 1;
      for (Index n = velocity > 0 ? 1 : 0; n <= (velocity > 0 ? last : last - 1); ++n)
        CHECK(y[static_cast<std::size_t>(n)] ==
              doctest::Approx(2 + 3 * (p.grid().point_of(n).x - 0.04 * velocity)).epsilon(1e-11));
    }
}

TEST_CASE("looking back goes round an axis of any length, even or not, several times in a step") {
  for (const Real length : {0.3, 1.0, 7.0})
    for (const Real unevenness : {0.0, 0.4}) {
      CAPTURE(length);
      CAPTURE(unevenness);
      std::vector<Real> faces;
      for (int i = 0; i <= 50; ++i)
        faces.push_back(length * (i / 50.0 + unevenness * std::sin(2 * M_PI * i / 50.0) / (2 * M_PI)) - 1);
      Problem p(Grid({Axis("x", faces, Unknowns::cells, true)}), transport(Velocity(length)));
      p.initial = [length](Point q) { return std::sin(2 * M_PI * (q.x + 1) / length); };
      ProblemBalance balance(p, built_for("semi-lagrangian"));
      State y = balance.initial_state();
      // 2.31 turns in each step, to places between unknowns.
      march(balance, y, plan_of("semi-lagrangian", 2.31, 6.93));
      // Beside the seam as elsewhere; values at crests are kept from going beyond their neighbours.
      for (Index n = 0; n < p.grid().count(); ++n) {
        const Real exact = std::sin(2 * M_PI * ((p.grid().point_of(n).x + 1) / length - 6.93));
        if (std::abs(exact) < 0.9) CHECK(std::abs(y[static_cast<std::size_t>(n)] - exact) < 1e-3);
      }
    }
}

TEST_CASE("a body turns round at a Courant number of five") {
  const auto body = [](Point q) {
    return std::exp(-120 * ((q.x - 0.5) * (q.x - 0.5) + (q.y - 0.7) * (q.y - 0.7)));
  };
  const Index n = 64;
  const auto axis = [&](const char* called) { return Axis::uniform(called, 0, 1, n, Unknowns::cells); };
  Problem p(Grid({axis("x"), axis("y")}), transport(Velocity::of_stream_function([](Point q) {
              return -M_PI * ((q.x - 0.5) * (q.x - 0.5) + (q.y - 0.5) * (q.y - 0.5));
            })));
  p.initial = body;
  p.default_boundary(outflow_with_backflow(0.0));
  const Advected run = advect(p, "semi-lagrangian", 5, 2 * M_PI * static_cast<Real>(n), 1);
  CHECK(run.outcome.steps < 90);
  CHECK(run.outcome.totals.lowest >= 0);
  CHECK(run.outcome.totals.highest > 0.85);
  CHECK(mean_error(p, run.state, body) < 0.003);
  const ProblemBalance balance(p);
  CHECK(verify::stability(p, scheme("semi-lagrangian"), 0.01).stable());
}

TEST_CASE("what comes in has the boundary's value, what diffuses does so besides, and the ledger closes") {
  // An error function that has come as far as the middle (Ogata and Banks, 1961).
  const auto exact = [](Point q) {
    const Real s = std::sqrt(4 * 0.02 * 0.5);
    return 0.5 * (std::erfc((q.x - 0.5) / s) + std::exp(q.x / 0.02) * std::erfc((q.x + 0.5) / s));
  };
  const auto error = [&](Index cells) {
    Problem p(Grid({Axis::uniform("x", 0, 1, cells, Unknowns::cells)}), transport(Velocity(1.0), 0.02));
    p.boundary("west", dirichlet(1.0)).boundary("east", outflow());
    const Advected run = advect(p, "semi-lagrangian", 3, static_cast<Real>(cells), 0.5);
    CHECK(run.outcome.budget.worst_step() < 1e-12);
    return mean_error(p, run.state, exact);
  };
  // What came in during a step has not diffused yet: of first order beside the inlet.
  CHECK(error(160) < 0.02);
  CHECK(order_between(error(160), error(320)) > 0.6);
}

TEST_CASE("between prescribed nodes advection with diffusion closes its ledger, too") {
  // At rest between 1 and 0: (e^(P·x) − e^P)/(1 − e^P) with P = velocity/diffusivity.
  for (const Real diffusivity : {0.2, 0.5}) {
    Problem p(Grid({Axis::uniform("x", 0, 1, 40, Unknowns::nodes)}), transport(Velocity(1.0), diffusivity));
    p.boundary("west", dirichlet(1.0)).boundary("east", dirichlet(0.0));
    const Advected run = advect(p, "semi-lagrangian", 0.5, 40, 3);
    CHECK(run.outcome.budget.worst_step() < 1e-12);
    CHECK(run.outcome.budget.relative_residual() < 1e-12);
    const Real peclet = 1 / diffusivity;
    CHECK(mean_error(p, run.state, [=](Point q) {
            return (std::exp(peclet * q.x) - std::exp(peclet)) / (1 - std::exp(peclet));
          }) < 0.02);
  }
}

TEST_CASE("nodes, uneven axes and shores are looked up too; flux laws are refused") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    std::vector<Real> faces;
    for (int i = 0; i <= 60; ++i) faces.push_back(i / 60.0 + 0.05 * std::sin(2 * M_PI * i / 60.0) / 2);
    Problem p(Grid({Axis("x", faces, unknowns, true)}), transport(Velocity(1.0)));
    p.initial = [](Point q) { return std::sin(2 * M_PI * q.x); };
    const Advected run = advect(p, "semi-lagrangian", 2.5, 70, 1);
    CHECK(mean_error(p, run.state, p.initial) < 0.02);
  }
  const std::vector<Region> cut{
      {"islet", inside([](const Point& q) { return std::hypot(q.x - 0.5, q.y - 0.5) < 0.2; }), false}};
  Velocity v(1.0, 0.0);
  v.divergence_free = true;
  Problem shore(
      Grid({Axis::uniform("x", 0, 1, 30, Unknowns::cells), Axis::uniform("y", 0, 1, 24, Unknowns::cells)}),
      transport(v), Regions(cut));
  shore.initial = [](Point q) { return q.x < 0.25 ? 1.0 : 0.0; };
  shore.boundary("west", dirichlet(0.0)).boundary("east", outflow()).default_boundary(insulated());
  const Advected run = advect(shore, "semi-lagrangian", 3, 40, 0.5);
  CHECK(run.outcome.totals.lowest >= 0);
  CHECK(run.outcome.totals.highest <= 1);
  CHECK(run.outcome.budget.worst_step() < 1e-12);
  Problem law(periodic_line(10), conservation(quadratic_flux()));
  CHECK_THROWS_AS(ProblemBalance(law, built_for("semi-lagrangian")), InputError);
}

TEST_CASE("where the flow comes back through an outlet, what is looked up has the outlet's value or share") {
  struct End {
    Boundary boundary;
    Real expected;
  };
  for (int dimension = 1; dimension <= (instrumented ? 2 : 3); ++dimension)
    for (const End& end : {End{outflow(), 2.0}, End{outflow_with_backflow(7.0), 7.0},
                           End{outflow_with_stabilization(0.25), 0.5}}) {
      CAPTURE(dimension);
      CAPTURE(end.expected);
      std::vector<Axis> axes;
      for (int a = 0; a < dimension; ++a)
        axes.push_back(Axis::uniform(std::string(1, "xyz"[a]), 0, 1, 20 - 5 * a, Unknowns::cells));
      // It comes in from the east, at all times, and leaves to the west.
      Problem p(Grid(axes), transport(Velocity(-1.0)));
      p.initial = 2.0;
      p.boundary("east", end.boundary).boundary("west", outflow()).default_boundary(insulated());
      ProblemBalance balance(p, built_for("semi-lagrangian"));
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme("semi-lagrangian");
      plan.step = plan.until = 0.175;  // three cells and a half
      march(balance, y, plan);
      const Grid& g = p.grid();
      for (Index n = 0; n < g.count(); ++n) {
        const Real from_boundary = 1 - g.point_of(n).x;
        CHECK(y[n] == doctest::Approx(from_boundary < 0.175 ? end.expected : 2));
      }
    }
}

TEST_CASE("cubics are looked up exactly in one to three dimensions, along even and uneven axes") {
  // Rising along every axis, so that values stay within those around them.
  const auto cubic = [](Point q) {
    const auto along = [](Real s) { return s * s * s + s * s + 2 * s + 1; };
    return along(q.x) * along(q.y) * along(q.z);
  };
  const char* const names[] = {"x", "y", "z"};
  const Real velocity[] = {0.9, -0.7, 0.4};
  for (int dimension = 1; dimension <= 3; ++dimension)
    for (const bool even : {true, false}) {
      CAPTURE(dimension);
      CAPTURE(even);
      std::vector<Axis> axes;
      for (int a = 0; a < dimension; ++a) {
        std::vector<Real> faces;
        for (int i = 0; i <= 12 + a; ++i) faces.push_back(std::pow(i / (12.0 + a), even ? 1 : 1.3));
        axes.emplace_back(names[a], faces, Unknowns::cells);
      }
      Problem p(Grid(axes), transport(Velocity(velocity[0], dimension > 1 ? velocity[1] : 0.0,
                                               dimension > 2 ? velocity[2] : 0.0)));
      p.initial = cubic;
      p.default_boundary(outflow());
      ProblemBalance balance(p, built_for("semi-lagrangian"));
      const State before = balance.initial_state();
      const auto stepper = make_stepper(balance, scheme("semi-lagrangian"));
      Ledger amounts(balance.lines().size());
      // Of a second step of another length the departures are others.
      for (const Real step : {0.05, 0.12}) {
        State y = before;
        stepper->advance(y, 0, step, amounts);
        int compared = 0;
        for (Index n = 0; n < p.grid().count(); ++n) {
          Point from = p.grid().point_of(n);
          bool inside = true;
          for (int a = 0; a < dimension; ++a) {
            from[p.grid().direction(a)] -= step * velocity[a];
            const auto points = p.grid().axis(a).points();
            const Real s = from[p.grid().direction(a)];
            inside = inside && s > points[1] && s < points[points.size() - 2];
          }
          if (!inside) continue;
          ++compared;
          CHECK(y[static_cast<std::size_t>(n)] == doctest::Approx(cubic(from)).epsilon(1e-12));
        }
        CHECK(compared > std::pow(8, dimension));
      }
    }
}

TEST_CASE("a velocity that changes in time is followed anew in every step") {
  const auto shape = [](Real x) { return std::sin(2 * M_PI * x); };
  Problem p(periodic_line(200), transport(Velocity(Function([](Point, Real t) { return 1 + 4 * t; }))));
  p.initial = [shape](Point q) { return shape(q.x); };
  ProblemBalance balance(p, built_for("semi-lagrangian"));
  State y = balance.initial_state();
  march(balance, y, plan_of("semi-lagrangian", 0.05, 0.5));
  // The midpoint rule is exact for it: 0.5 + 2·0.5² = 1.
  CHECK(mean_error(p, y, [=](Point q) { return shape(q.x - 1.0); }) < 1e-5);
}
