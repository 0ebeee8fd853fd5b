// Limits of steps against runs that keep and break them, numbers of the flow against what they claim, and
// what becomes of a pulse.
#include <doctest/doctest.h>

#include "support/advected.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// Growth of a random state round a periodic domain in many steps of `share` of the limit.
bool grows(const Problem& p, const std::string& name, Real step) {
  ProblemBalance balance(p);
  auto stepper = make_stepper(balance, scheme(name));
  State y(static_cast<std::size_t>(p.grid().count()));
  unsigned seed = 7;
  for (Real& u : y) {
    seed = seed * 1664525u + 1013904223u;
    u = static_cast<Real>(seed >> 8) / 16777216.0 - 0.5;
  }
  Ledger amounts(balance.lines().size());
  Real size = 0;
  for (int n = 0; n < 3000; ++n) {
    const Totals t = stepper->advance(y, n * step, step, amounts);
    size = std::max(std::abs(t.lowest), std::abs(t.highest));
    if (!(size < 100)) return true;
  }
  return size > 1;
}

}  // namespace

TEST_CASE("limits of advection are sharp round a periodic line and plan" * doctest::skip(instrumented)) {
  struct Row {
    const char *flux, *scheme;
    Real velocity, diffusivity;
  };
  for (const Row& row :
       {Row{"upwind", "explicit-euler", 1, 0}, Row{"upwind", "rk2", 1, 0.002}, Row{"central", "rk4", -1, 0},
        Row{"central", "explicit-euler", 0.5, 0.05}, Row{"lax-wendroff", "explicit-euler", 1, 0},
        Row{"upwind", "ssprk3", -0.7, 0.01}, Row{"central", "implicit-explicit", 1, 0.02}})
    for (const bool plan : {false, true}) {
      if (plan && std::string(row.flux) == "lax-wendroff") continue;
      CAPTURE(row.flux);
      CAPTURE(row.scheme);
      CAPTURE(plan);
      Problem p(plan ? periodic_plan(24) : periodic_line(48),
                transport(plan ? Velocity(row.velocity, 0.4) : Velocity(row.velocity), row.diffusivity));
      p.numerical_flux = row.flux;
      const auto s = verify::stability(p, scheme(row.scheme), 1e-3);
      CHECK(s.limit.standing == verify::Limit::Standing::sharp);
      CHECK(!grows(p, row.scheme, 0.985 * s.limit.step));
      CHECK(grows(p, row.scheme, 1.03 * s.limit.step));
    }
}

TEST_CASE(
    "central differences with forward Euler never hold, and upwind does up to a Courant number of one") {
  Problem p(periodic_line(50), transport(Velocity(2.0)));
  p.numerical_flux = "central";
  CHECK(verify::stability(p, scheme("explicit-euler"), 1e-3).limit.step == 0);
  p.numerical_flux = "upwind";
  const auto s = verify::stability(p, scheme("explicit-euler"), 1e-3);
  CHECK(s.limit.step == doctest::Approx(0.01).epsilon(1e-6));
  CHECK(s.positivity.step == doctest::Approx(0.01).epsilon(1e-9));
  CHECK(s.courant_number == doctest::Approx(0.1));
  // Where a unit of volume stores twice as much everything is twice as slow, what diffuses as well.
  for (const Real diffusivity : {0.0, 0.01}) {
    Problem one(periodic_line(50), transport(Velocity(2.0), diffusivity)),
        twice(periodic_line(50), transport(Velocity(2.0), diffusivity));
    Equation e = twice.equation();
    e.storage = 2.0;
    Problem slow(periodic_line(50), e);
    const auto quick = verify::stability(one, scheme("explicit-euler"), 1e-3),
               late = verify::stability(slow, scheme("explicit-euler"), 1e-3);
    CHECK(late.limit.step == doctest::Approx(2 * quick.limit.step).epsilon(1e-6));
    CHECK(late.positivity.step == doctest::Approx(2 * quick.positivity.step).epsilon(1e-9));
    CHECK(late.courant_number == doctest::Approx(quick.courant_number / 2));
  }
  p.reconstruction = "van-leer";
  CHECK(verify::stability(p, scheme("ssprk3"), 1e-3).positivity.step == doctest::Approx(0.005).epsilon(1e-9));
  p.reconstruction = "minmod";
  CHECK(verify::stability(p, scheme("ssprk3"), 1e-3).positivity.step ==
        doctest::Approx(0.02 / 3).epsilon(1e-9));
}

TEST_CASE(
    "round an islet the advected quantity keeps its extremes within the limit, and not beyond three times "
    "it") {
  const Regions islet(
      {{"islet", inside([](Point q) { return std::hypot(q.x - 0.5, q.y - 0.5) < 0.23; }), false}});
  Velocity v(1.0, 0.0);
  v.divergence_free = true;
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 20, Unknowns::cells), Axis::uniform("y", 0, 1, 16, Unknowns::cells)}),
      transport(v, 1e-4), islet);
  p.initial = [](Point q) { return q.x < 0.3 && q.y > 0.4 ? 1.0 : 0.0; };
  p.boundary("west", dirichlet(0.0)).boundary("east", outflow()).default_boundary(insulated());
  const auto judged = verify::stability(p, scheme("explicit-euler"), 1e-3);
  CHECK(judged.limit.standing != verify::Limit::Standing::sharp);
  // Cells that the islet cuts have less to hold what passes.
  Problem open(p.grid(), transport(v, 1e-4));
  open.boundary("west", dirichlet(0.0)).boundary("east", outflow()).default_boundary(insulated());
  CHECK(judged.limit.step < verify::stability(open, scheme("explicit-euler"), 1e-3).limit.step);
  const auto extremes = [&](Real factor) {
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme("explicit-euler");
    plan.step = factor * judged.limit.step;
    plan.until = 60 * plan.step;
    plan.guard = false;
    const Outcome o = march(balance, y, plan);
    return std::pair(o.lowest, o.highest);
  };
  const auto [low, high] = extremes(0.999);
  CHECK(low > -1e-12);
  CHECK(high < 1 + 1e-12);
  const auto [lower, higher] = extremes(3);
  CHECK((lower < -1e-3 || higher > 1.001));
}

TEST_CASE("the numerical diffusion that is told is the one that is seen") {
  // A wave of length 1 decays as exp(−D·k²·t).
  for (const char* name : {"explicit-euler", "ssprk3", "implicit-euler"}) {
    CAPTURE(name);
    Problem p(periodic_line(200), transport(Velocity(1.0), 0.001));
    p.initial = [](Point q) { return std::sin(2 * M_PI * q.x); };
    const Advected run = advect(p, name, 0.4, 200, 1);
    ProblemBalance balance(p);
    const auto numbers = verify::advection_numbers(balance, scheme(name), 0.002);
    const Real seen = -std::log(run.outcome.totals.highest) / (4 * M_PI * M_PI);
    CHECK(seen - 0.001 == doctest::Approx(numbers.numerical_diffusion[0]).epsilon(0.01));
    CHECK(numbers.peclet == doctest::Approx(5));
    CHECK(numbers.courant == doctest::Approx(0.4));
    CHECK(verify::stability(p, scheme(name), 0.002).diffusion_number ==
          doctest::Approx(0.001 * 0.002 * 200 * 200));
  }
}

TEST_CASE("outlets that see the flow come back are named, and a velocity into closed boundaries too") {
  Velocity tide([](Real t) { return std::cos(2 * M_PI * t); });
  Problem p(Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells)}), transport(tide, 0.01));
  p.boundary("west", outflow_with_backflow(1.0)).boundary("east", outflow());
  ProblemBalance balance(p);
  const auto numbers = verify::advection_numbers(balance, scheme("ssprk3"), 0.01, 0, 1);
  REQUIRE(numbers.backflow.size() == 2);
  CHECK(numbers.backflow[0].boundary == "west");
  CHECK(numbers.backflow[0].bounded);
  CHECK(!numbers.backflow[1].bounded);
  CHECK(numbers.backflow[1].largest == doctest::Approx(1));
  CHECK(numbers.backflow[1].time == doctest::Approx(0.5));
  // A tide a thousand million times as slow has backflow just as much.
  Problem slow(p.grid(), transport(Velocity([](Real t) { return 1e-9 * std::cos(2 * M_PI * t); }), 1e-11));
  slow.boundary("west", outflow_with_backflow(1.0)).boundary("east", outflow());
  ProblemBalance slowly(slow);
  const auto seen = verify::advection_numbers(slowly, scheme("ssprk3"), 0.01, 0, 1);
  REQUIRE(seen.backflow.size() == 2);
  CHECK(seen.backflow[1].largest == doctest::Approx(1e-9));
  Problem closed(p.grid(), transport(Velocity(0.3)));
  closed.default_boundary(insulated());
  ProblemBalance other(closed);
  CHECK(verify::advection_numbers(other, scheme("ssprk3"), 0.01).against_boundaries == doctest::Approx(0.3));
}

TEST_CASE("variation, squares, extrema, height and width of a pulse") {
  Problem p(periodic_line(100), transport(Velocity(1.0)));
  ProblemBalance balance(p);
  const auto pulse = [&](Real middle, Real width, Real height) {
    return balance.values_of([=](Point q) {
      const Real d = q.x - middle - std::round(q.x - middle);
      return 0.5 + height * std::exp(-d * d / (2 * width * width));
    });
  };
  const State before = pulse(0.3, 0.04, 2), after = pulse(0.98, 0.06, 1);
  const auto shape = verify::shape_of(balance, before);
  CHECK(shape.variation == doctest::Approx(4).epsilon(0.01));
  CHECK(shape.extrema == 2);  // the top, and the ground on the other side of the ring
  CHECK(shape.square ==
        doctest::Approx(0.25 + 2 * 0.04 * std::sqrt(2 * M_PI) + 4 * 0.04 * std::sqrt(M_PI)).epsilon(1e-3));
  const auto loss = verify::pulse_loss(balance, before, after);
  CHECK(loss.height / loss.height_before == doctest::Approx(0.5).epsilon(0.02));
  CHECK(loss.width_before[0] == doctest::Approx(0.04).epsilon(0.01));
  CHECK(loss.width[0] == doctest::Approx(0.06).epsilon(0.01));
  // A whole wave is no pulse: as much lies below its middle as above it.
  const State wave = balance.values_of([](Point q) { return 0.5 + std::sin(2 * M_PI * q.x); });
  CHECK(std::isnan(verify::pulse_loss(balance, wave, wave).width[0]));
  CHECK(verify::pulse_loss(balance, wave, wave).height == doctest::Approx(1).epsilon(0.05));
}
