// Orders of reconstructions on smooth data, extremes and totals that every scheme must keep, and what a trip
// round a periodic line costs.
#include <doctest/doctest.h>

#include "support/advected.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Real smooth_wave(Real x) {
  return std::exp(std::sin(2 * M_PI * x));
}

Real error_on_line(const std::string& reconstruction, const std::string& flux, Index cells,
                   const std::string& scheme_name, Real courant) {
  Problem p(periodic_line(cells), transport(Velocity(1.0)));
  p.reconstruction = reconstruction;
  p.numerical_flux = flux;
  p.initial = [](Point q) { return smooth_wave(q.x); };
  const Real until = 0.4;
  const Advected run = advect(p, scheme_name, courant, static_cast<Real>(cells), until);
  CHECK(run.outcome.ending == Outcome::Ending::reached);
  CHECK(run.outcome.budget.worst_step() < 1e-13);
  return mean_error(p, run.state, [until](Point q) { return smooth_wave(q.x - until); });
}

Real error_on_plan(const std::string& reconstruction, Index cells, Real courant, bool nonlinear) {
  // Diagonally, or by a law whose values are carried to the left of a smooth profile before it breaks.
  Problem p(periodic_plan(cells), nonlinear ? conservation(quadratic_flux()) : transport(Velocity(1.0, 0.7)));
  p.reconstruction = reconstruction;
  const auto shape = [](Real s) { return 1 + 0.1 * std::sin(2 * M_PI * s); };
  p.initial = [shape](Point q) { return shape(q.x + q.y); };
  const Real until = nonlinear ? 0.25 : 0.4;
  const Advected run = advect(p, "rk4", courant, (nonlinear ? 2.2 : 1.7) * static_cast<Real>(cells), until);
  CHECK(run.outcome.budget.worst_step() < 1e-13);
  return mean_error(p, run.state, [=](Point q) {
    if (!nonlinear) return shape(q.x + q.y - 1.7 * until);
    // u = shape(x + y − 2·u·t), by Newton's method
    Real u = shape(q.x + q.y);
    for (int i = 0; i < 50; ++i) {
      const Real s = q.x + q.y - 2 * u * until, slope = 0.2 * M_PI * std::cos(2 * M_PI * s);
      u -= (u - shape(s)) / (1 + 2 * until * slope);
    }
    return u;
  });
}

}  // namespace

TEST_CASE("every reconstruction has its order on a smooth line") {
  struct Row {
    const char* name;
    Real low, high, courant;
  };
  for (const Row& row :
       {Row{"first-order", 0.85, 1.1, 0.5}, Row{"minmod", 1.5, 2.3, 0.5}, Row{"van-leer", 1.8, 2.5, 0.4},
        Row{"monotonized-central", 1.8, 2.7, 0.4}, Row{"superbee", 1.4, 2.2, 0.4},
        Row{"third-order", 2.85, 3.2, 0.1}, Row{"weno5", 4.6, 5.5, 0.05}}) {
    CAPTURE(row.name);
    const std::string scheme_name = std::string(row.name) == "first-order" ? "explicit-euler" : "rk4";
    const Real coarse = error_on_line(row.name, "upwind", 80, scheme_name, row.courant);
    const Real fine = error_on_line(row.name, "upwind", 160, scheme_name, row.courant);
    CAPTURE(coarse);
    CAPTURE(fine);
    CHECK(order_between(coarse, fine) > row.low);
    CHECK(order_between(coarse, fine) < row.high);
  }
}

TEST_CASE("central and Lax-Wendroff fluxes are of second order") {
  CHECK(order_between(error_on_line("first-order", "central", 80, "rk4", 0.4),
                      error_on_line("first-order", "central", 160, "rk4", 0.4)) ==
        doctest::Approx(2).epsilon(0.05));
  CHECK(order_between(error_on_line("first-order", "lax-wendroff", 80, "explicit-euler", 0.5),
                      error_on_line("first-order", "lax-wendroff", 160, "explicit-euler", 0.5)) ==
        doctest::Approx(2).epsilon(0.05));
}

TEST_CASE("reconstructions keep their order on a plan" * doctest::skip(instrumented)) {
  for (const bool nonlinear : {false, true}) {
    CAPTURE(nonlinear);
    const auto order = [&](const char* name, Real courant, Index cells) {
      return order_between(error_on_plan(name, cells, courant, nonlinear),
                           error_on_plan(name, 2 * cells, courant, nonlinear));
    };
    CHECK(order("first-order", 0.5, 64) > 0.75);
    CHECK(order("van-leer", 0.4, 64) > 1.75);
    CHECK(order("third-order", 0.2, 32) > 2.8);
    CHECK(order("weno5", 0.1, 32) > 4.5);
  }
}

TEST_CASE("reconstructions of higher order on a plan do not know which axis is which") {
  // Carried along one axis by a velocity that varies along both; along the other one nothing moves.
  for (const char* reconstruction : {"third-order", "weno5"}) {
    const auto rates = [&](bool turned) {
      const Function speed = [turned](Point q) {
        const Real a = turned ? q.y : q.x, b = turned ? q.x : q.y;
        return 1 + 0.4 * std::sin(2 * M_PI * a) + 0.2 * std::cos(2 * M_PI * b);
      };
      Problem p(periodic_plan(10), transport(turned ? Velocity(0.0, speed) : Velocity(speed, 0.0)));
      p.reconstruction = reconstruction;
      p.numerical_flux = "lax-friedrichs";
      ProblemBalance balance(p);
      State y(100), f(100);
      for (Index n = 0; n < 100; ++n) {
        const Point q = p.grid().point_of(n);
        const Real a = turned ? q.y : q.x, b = turned ? q.x : q.y;
        y[n] = std::sin(2 * M_PI * (a + 2 * b)) + std::cos(4 * M_PI * a);
      }
      Ledger ledger(balance.lines().size());
      balance.rate(y, 0, Parts::all(), f, ledger);
      return f;
    };
    CAPTURE(std::string(reconstruction));
    const State as_is = rates(false), turned = rates(true);
    CHECK(std::abs(as_is[37]) > 0.01);
    for (Index j = 0; j < 10; ++j)
      for (Index i = 0; i < 10; ++i)
        CHECK(as_is[i + 10 * j] == doctest::Approx(turned[j + 10 * i]).epsilon(1e-11));
  }
}

TEST_CASE("limited schemes make no new extrema, keep the total and lose variation") {
  for (const char* name : {"first-order", "minmod", "van-leer", "monotonized-central", "superbee"})
    for (const char* flux : {"upwind", "local-lax-friedrichs", "engquist-osher", "lax-friedrichs"})
      for (const bool law : {false, true}) {
        CAPTURE(name);
        CAPTURE(flux);
        CAPTURE(law);
        Problem p(periodic_line(100), law ? conservation(quadratic_flux()) : transport(Velocity(1.0)));
        p.reconstruction = name;
        p.numerical_flux = flux;
        p.initial = [](Point q) { return std::abs(q.x - 0.4) < 0.15 ? 1.0 : q.x > 0.7 ? -0.3 : 0.1; };
        Real variation = std::numeric_limits<Real>::infinity(), worst = 0;
        Observers watch;
        watch.on_step = [&](const StepInfo& m) {
          const Real now = total_variation(m.state);
          worst = std::max(worst, now - variation);
          variation = now;
        };
        const Real courant = reconstruction_kind(name).courant;
        const Advected run = advect(p, "ssprk3", courant, 100, 1.0, watch);
        CHECK(run.outcome.totals.highest <= 1 + 1e-12);
        CHECK(run.outcome.totals.lowest >= -0.3 - 1e-12);
        CHECK(worst < 1e-12);
        CHECK(run.outcome.budget.worst_step() < 1e-14);
        CHECK(std::abs(run.outcome.totals.content - ProblemBalance(p).totals(run.start, 0).content) < 1e-13);
      }
}

TEST_CASE("round trips of a smooth and a square pulse: better schemes lose less of them") {
  struct Loss {
    Real smooth, square;
  };
  const auto trip = [](const std::string& name, const std::string& flux, const std::string& scheme_name) {
    Loss loss{};
    for (const bool square : {false, true}) {
      Problem p(periodic_line(100), transport(Velocity(1.0)));
      p.reconstruction = name;
      p.numerical_flux = flux;
      p.initial = [square](Point q) {
        return square ? (std::abs(q.x - 0.5) < 0.2 ? 1.0 : 0.0) : std::exp(-100 * (q.x - 0.5) * (q.x - 0.5));
      };
      const Advected run = advect(p, scheme_name, 0.4, 100, 1.0);
      (square ? loss.square : loss.smooth) = mean_error(p, run.state, p.initial);
    }
    return loss;
  };
  const Loss upwind = trip("first-order", "upwind", "explicit-euler"),
             minmod = trip("minmod", "upwind", "ssprk3"), van_leer = trip("van-leer", "upwind", "ssprk3"),
             superbee = trip("superbee", "upwind", "ssprk3"), weno = trip("weno5", "upwind", "ssprk3"),
             central = trip("first-order", "central", "rk4");
  CHECK(upwind.smooth > 2 * minmod.smooth);
  CHECK(minmod.smooth > 2 * van_leer.smooth);
  CHECK(van_leer.smooth > 3 * weno.smooth);
  CHECK(upwind.square > 1.8 * minmod.square);
  CHECK(minmod.square > van_leer.square);
  CHECK(van_leer.square > superbee.square);
  // What has no numerical diffusion at all leaves wiggles all over the place.
  CHECK(central.square > 1.5 * van_leer.square);
}

TEST_CASE("uneven axes and nodes keep extremes and second order") {
  const auto error = [](Index cells, Unknowns unknowns) {
    std::vector<Real> faces;
    for (Index i = 0; i <= cells; ++i) {
      const Real s = static_cast<Real>(i) / static_cast<Real>(cells);
      faces.push_back(s + 0.06 * std::sin(2 * M_PI * s));
    }
    Problem p(Grid({Axis("x", faces, unknowns, true)}), transport(Velocity(1.0)));
    p.reconstruction = "van-leer";
    p.initial = [](Point q) { return smooth_wave(q.x); };
    const Advected run = advect(p, "ssprk3", 0.4, 1.7 * static_cast<Real>(cells), 0.5);
    CHECK(run.outcome.totals.highest <= std::exp(1.0) + 1e-12);
    CHECK(run.outcome.totals.lowest >= std::exp(-1.0) - 1e-12);
    return mean_error(p, run.state, [](Point q) { return smooth_wave(q.x - 0.5); });
  };
  CHECK(order_between(error(80, Unknowns::cells), error(160, Unknowns::cells)) > 1.7);
  CHECK(order_between(error(80, Unknowns::nodes), error(160, Unknowns::nodes)) > 1.7);
}

TEST_CASE("a slotted body turns once on a plan" * doctest::skip(instrumented)) {
  // Zalesak's disk (1979), without his numbers: the advected quantity stays between its extremes and its
  // total stays.
  const auto body = [](Point q) {
    const Real x = q.x - 0.5, y = q.y - 0.72;
    return std::hypot(x, y) < 0.17 && !(std::abs(x) < 0.03 && y < 0.08) ? 1.0 : 0.0;
  };
  const auto turn = [&](const std::string& name) {
    const Index n = 80;
    const auto axis = [&](const char* called) { return Axis::uniform(called, 0, 1, n, Unknowns::cells); };
    Problem p(Grid({axis("x"), axis("y")}), transport(Velocity::of_stream_function([](Point q) {
                return -M_PI * ((q.x - 0.5) * (q.x - 0.5) + (q.y - 0.5) * (q.y - 0.5));
              })));
    p.reconstruction = name;
    p.initial = body;
    p.default_boundary(outflow_with_backflow(0.0));
    const Advected run = advect(p, "ssprk3", 0.45, 2 * M_PI * static_cast<Real>(n), 1.0);
    CHECK(run.outcome.totals.highest <= 1 + 1e-10);
    CHECK(run.outcome.totals.lowest >= -1e-10);
    CHECK(run.outcome.budget.worst_step() < 1e-13);
    return mean_error(p, run.state, body);
  };
  const Real first = turn("first-order"), limited = turn("van-leer"), sharp = turn("superbee");
  CHECK(first > 1.5 * limited);
  CHECK(limited > 1.3 * sharp);
}
