// Content instead of storage: freezing against Neumann's similarity solution, heat capacities that depend on
// the temperature, explicit steps that recover the unknown from what is stored.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "support/smooth.hpp"
#include "williwaw/problem/content.hpp"
#include "williwaw/verify/stability.hpp"

using namespace williwaw;
using williwaw::test::plan_of;

namespace {

// A half-space at `warm` whose surface is held at `cold` from t = 0 on freezes at 0 (Neumann, about 1860;
// Carslaw and Jaeger, 1959): the front stands at 2·lambda·√(D·t).
struct Freezing {
  Real cold = -10, warm = 4, storage = 2, latent = 60, conductivity = 1;
  Real diffusivity() const { return conductivity / storage; }
  Real lambda() const {
    Real low = 1e-6, high = 5;
    for (int n = 0; n < 200; ++n) {
      const Real l = 0.5 * (low + high), e = std::exp(-l * l) / std::sqrt(M_PI);
      const Real gained = storage * (-cold * e / std::erf(l) - warm * e / std::erfc(l)) / latent;
      (gained > l ? low : high) = l;
    }
    return low;
  }
  Real front(Real t) const { return 2 * lambda() * std::sqrt(diffusivity() * t); }
  Real operator()(Real x, Real t) const {
    const Real s = x / (2 * std::sqrt(diffusivity() * t)), l = lambda();
    return s < l ? cold * (1 - std::erf(s) / std::erf(l)) : warm * (1 - std::erfc(s) / std::erfc(l));
  }
};

Problem freezing(const Freezing& exact, Index cells, Real range, Real start) {
  Equation e = heat(exact.conductivity, 1.0, exact.storage);
  e = with_phase_change(e, {exact.latent, 0, range}, exact.warm, exact.warm);
  Problem p(Grid({Axis::uniform("x", 0, 1, cells, Unknowns::cells)}), e);
  p.boundary("west", dirichlet(exact.cold));
  p.boundary("east", dirichlet([exact](Real t) { return exact(1, t); }));
  p.initial = [exact, start](Point at) { return exact(at.x, start); };
  return p;
}

Real frozen_length(const Problem& p, const State& y) {
  std::vector<Real> part(y.size());
  p.equation().derived.front().value.evaluate(Points(static_cast<Index>(y.size())), 0, y, part);
  Real sum = 0;
  for (const Real one : part) sum += one / static_cast<Real>(y.size());
  return sum;
}

}  // namespace

TEST_CASE("a freezing front goes as Neumann's does, and the heat budget closes" *
          doctest::skip(test::instrumented)) {
  const Freezing exact;
  const Real end = std::pow(0.5 / (2 * exact.lambda()), 2) / exact.diffusivity(), start = 0.01 * end;
  CHECK(exact.front(end) == doctest::Approx(0.5));
  for (const char* scheme : {"implicit-euler", "bdf2"}) {
    CAPTURE(scheme);
    const Problem p = freezing(exact, 200, 1e-4 * exact.latent / exact.storage, start);
    auto balance = make_balance(p);
    State y = balance->initial_state();
    Plan plan = plan_of(scheme, (end - start) / 1000, end);
    plan.start = start;
    const Outcome out = march(*balance, y, plan);
    CAPTURE(out.reason);
    REQUIRE(out.ending == Outcome::Ending::reached);
    CHECK(out.budget.relative_residual() < 1e-12);
    CHECK(std::abs(frozen_length(p, y) - 0.5) < 0.005 * 0.5);
    MESSAGE("front " << frozen_length(p, y) << ", " << out.newton_iterations << " Newton, rejected "
                     << out.rejected);
  }
}

TEST_CASE("a heat capacity that depends on the temperature stores its integral, by explicit steps too") {
  // c = 1 + u/2 stores u + u²/4: an insulated rod keeps that total, whatever steps do.
  const Function c = Function::of_unknown([](Real u) { return 1 + 0.5 * u; }, [](Real) { return 0.5; });
  for (const char* scheme : {"explicit-euler", "rk4", "crank-nicolson", "implicit-euler"}) {
    CAPTURE(scheme);
    Problem p(Grid({Axis::uniform("x", 0, 1, 25, Unknowns::cells)}), diffusion(1.0, c));
    p.initial = [](Point at) { return 1 + std::cos(M_PI * at.x); };
    p.default_boundary(insulated());
    auto balance = make_balance(p);
    State y = balance->initial_state();
    const Outcome out = march(*balance, y, plan_of(scheme, 5e-4, 2));
    REQUIRE(out.ending == Outcome::Ending::reached);
    // Each recovery leaves what the last digits of u and of the tabulated integral store.
    CHECK(out.budget.worst_step() < 1e-14);
    CHECK(out.budget.relative_residual() < 4e-16 * static_cast<Real>(out.steps));
    // It settles at the temperature that stores the mean of 1 + cos + (1 + cos)²/4, which is 1 + 3/8.
    const Real settled = -2 + std::sqrt(4 + 4 * 1.375);
    CHECK(y.front() == doctest::Approx(settled).epsilon(1e-3));
  }
}

TEST_CASE("explicit steps are judged over all values that data allow, not at the start") {
  // The diffusivity is 1 at the start and 5 at the boundary's value.
  const Function d = Function::of_unknown([](Real u) { return 1 + u; }, [](Real) { return 1.0; });
  Problem p(Grid({Axis::uniform("x", 0, 1, 50, Unknowns::cells)}), diffusion(d));
  p.boundary("west", dirichlet(4.0)).boundary("east", insulated());
  const verify::Stability judged = verify::stability(p, scheme("explicit-euler"), 1e-5, 0, 1);
  Problem bound = Problem(p.grid(), diffusion(5.0));
  bound.boundary("west", dirichlet(4.0)).boundary("east", insulated());
  const verify::Stability linear = verify::stability(bound, scheme("explicit-euler"), 1e-5, 0, 1);
  CHECK(judged.limit.step == doctest::Approx(linear.limit.step));
  CHECK(judged.limit.standing == verify::Limit::Standing::bound);
  REQUIRE(judged.allowed);
  CHECK(judged.allowed->values.highest == 4);
}
