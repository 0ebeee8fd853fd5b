// Nothing depends on the unit: the same problem in another one gives the same numbers in it.
#include <doctest/doctest.h>

#include "support/advected.hpp"
#include "support/smooth.hpp"
#include "williwaw/solve/steady.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// The quadratic flux of values that are `scale` times as large.
struct ScaledFlux {
  Real scale;
  Real flux(Real u) const { return scale * (0.5 * (u / scale) * (u / scale)); }
  Real speed(Real u) const { return u / scale; }
};

Function profile(Real scale, Real offset) {
  return [=](Point p) {
    const Real hill = std::exp(-60 * (p.x - 0.3) * (p.x - 0.3)), block = p.x > 0.55 && p.x < 0.8 ? 0.7 : 0.0;
    return scale * (hill + block) + offset;
  };
}

struct Kind {
  const char *scheme, *reconstruction, *flux;
  bool law;
};

State marched(const Kind& kind, Real scale, Real offset) {
  Equation e = kind.law ? conservation(flux_law(ScaledFlux{scale}, "u2/2"))
                        : transport(Velocity(1.0), std::string(kind.scheme) == "crank-nicolson" ? 1e-3 : 0.0);
  Problem p(periodic_line(80), e);
  p.initial = profile(scale, offset);
  p.reconstruction = kind.reconstruction;
  p.numerical_flux = kind.flux;
  return advect(p, kind.scheme, 0.4, 80, 0.2, {}, false).state;
}

State diffused(const char* name, Real scale, Real offset, bool adaptive) {
  Problem p(Grid({Axis::uniform("x", 0, 1, 40, Unknowns::cells)}), diffusion(1.0, 1.0, scale * 3.0));
  p.initial = profile(scale, offset);
  p.boundary("west", dirichlet([=](Real t) { return offset + scale * std::sin(20 * t); }))
      .boundary("east", robin(2, offset + 0.4 * scale) + flux(0.3 * scale));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme(name);
  plan.until = 0.05;
  plan.step = is_explicit(plan.scheme) ? 2e-4 : 1e-3;
  if (adaptive) plan.adaptive = Tolerance{1e-5, true};
  const Outcome o = march(balance, y, plan);
  CHECK(o.ending == Outcome::Ending::reached);
  return y;
}

}  // namespace

TEST_CASE("transport and laws: scaled by 2^20 the same bits, by 1e6 the same to 1e-10, shifted the same") {
  for (const char* reconstruction :
       {"first-order", "minmod", "van-leer", "monotonized-central", "superbee", "third-order", "weno5"})
    for (const char* flux : {"upwind", "local-lax-friedrichs", "lax-friedrichs", "engquist-osher"})
      for (const bool law : {false, true}) {
        const Kind kind{"ssprk3", reconstruction, flux, law};
        CAPTURE(reconstruction);
        CAPTURE(flux);
        CAPTURE(law);
        const State one = marched(kind, 1, 0), binary = marched(kind, 1048576, 0),
                    milli = marched(kind, 1e6, 0), tiny = marched(kind, 1e-9, 0);
        for (std::size_t n = 0; n < one.size(); ++n) {
          CHECK(binary[n] == 1048576 * one[n]);
          CHECK(std::abs(milli[n] - 1e6 * one[n]) < 1e-4);
          CHECK(std::abs(tiny[n] - 1e-9 * one[n]) < 1e-19);
        }
        if (law) continue;
        const State shifted = marched(kind, 1, 8);
        for (std::size_t n = 0; n < one.size(); ++n) CHECK(std::abs(shifted[n] - 8 - one[n]) < 1e-11);
      }
}

TEST_CASE("laws between open ends, solved for by implicit schemes, in another unit") {
  const auto end = [](const char* name, Real scale) {
    Problem p(Grid({Axis::uniform("x", 0, 1, 40, Unknowns::cells)}),
              conservation(flux_law(ScaledFlux{scale}, "u2/2"), 0.01));
    p.initial = [scale](Point q) { return scale * (1 + 0.5 * std::sin(3 * q.x)); };
    p.numerical_flux = "engquist-osher";
    p.boundary("west", dirichlet(scale)).boundary("east", outflow());
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan = plan_of(name, 0.05, 0.5);
    const Outcome o = march(balance, y, plan);
    CHECK(o.ending == Outcome::Ending::reached);
    CHECK(o.budget.worst_step() < 1e-8);
    return y;
  };
  for (const char* name : {"implicit-euler", "crank-nicolson", "sdirk4"}) {
    CAPTURE(name);
    const State one = end(name, 1), binary = end(name, 1048576), tiny = end(name, 1e-9);
    for (std::size_t n = 0; n < one.size(); ++n) {
      CHECK(binary[n] == doctest::Approx(1048576 * one[n]).epsilon(1e-9));
      CHECK(tiny[n] == doctest::Approx(1e-9 * one[n]).epsilon(1e-9));
    }
  }
}

TEST_CASE("diffusion with boundaries and sources: every scheme in another unit") {
  for (const char* name : {"explicit-euler", "rk2", "ssprk3", "rk4", "rk45", "stabilized", "implicit-euler",
                           "crank-nicolson", "bdf2", "sdirk4"}) {
    CAPTURE(name);
    const State one = diffused(name, 1, 0, false), binary = diffused(name, 1048576, 0, false),
                million = diffused(name, 1e6, 0, false), shifted = diffused(name, 1, 4, false);
    for (std::size_t n = 0; n < one.size(); ++n) {
      CHECK(binary[n] == 1048576 * one[n]);
      CHECK(std::abs(million[n] - 1e6 * one[n]) < 1e-4);
      CHECK(std::abs(shifted[n] - 4 - one[n]) < 1e-11);
    }
  }
  for (const char* name : {"rk45", "sdirk4"}) {
    const State one = diffused(name, 1, 0, true), million = diffused(name, 1e6, 0, true);
    for (std::size_t n = 0; n < one.size(); ++n) CHECK(std::abs(million[n] / 1e6 - one[n]) < 1e-4);
  }
}

TEST_CASE("forecasts of blow-ups in another unit") {
  for (const bool by_data : {true, false}) {
    std::vector<verify::Forecast> seen;
    for (const Real scale : {1.0, 1e9, 1e-9}) {
      Problem p(Grid({Axis::uniform("x", 0, 1, 24, Unknowns::nodes)}), diffusion(1.0));
      p.default_boundary(dirichlet(0.0));
      p.initial = [=](Point q) { return scale * (by_data ? (q.x < 0.3 ? 1.0 : 0.0) : std::sin(M_PI * q.x)); };
      ProblemBalance balance(p);
      const Scheme euler = scheme("explicit-euler");
      const auto found =
          verify::forecast(balance, euler, 1.05 * verify::stability(balance, euler, 1).limit.step);
      REQUIRE(found);
      seen.push_back(*found);
    }
    CAPTURE(by_data);
    CHECK(seen[0].seeded == by_data);
    for (std::size_t other : {std::size_t{1}, std::size_t{2}}) {
      CHECK(seen[other].seeded == by_data);
      CHECK(std::abs(seen[other].first_step - seen[0].first_step) <=
            (by_data ? 1 : 0.2 * seen[0].first_step));
      CHECK(seen[other].factor == doctest::Approx(seen[0].factor));
    }
  }
}

TEST_CASE("steady states and reactions in another unit") {
  for (const char* solver : {"direct", "multigrid", "cg", "jacobi", "sor"}) {
    std::vector<State> found;
    std::vector<Index> iterations;
    for (const Real scale : {1.0, 1048576.0, 1e-9}) {
      Problem p(Grid({Axis::uniform("x", 0, 1, 24, Unknowns::cells),
                      Axis::uniform("y", 0, 1, 20, Unknowns::cells)}),
                diffusion(1.0, 1.0, [scale](Point q) { return scale * q.x; }));
      p.boundary("west", dirichlet(scale)).default_boundary(robin(3, 0.2 * scale));
      ProblemBalance balance(p);
      State y = balance.initial_state();
      SteadyRules rules;
      rules.solver = solver;
      rules.tolerance = 1e-8;
      iterations.push_back(solve_steady(balance, y, 0, rules).iterations());
      found.push_back(y);
    }
    CAPTURE(solver);
    CHECK(iterations[1] == iterations[0]);
    for (std::size_t n = 0; n < found[0].size(); ++n) {
      CHECK(found[1][n] == doctest::Approx(1048576 * found[0][n]).epsilon(1e-10));
      CHECK(found[2][n] == doctest::Approx(1e-9 * found[0][n]).epsilon(1e-7));
    }
  }
  // A reaction known by its rate alone, whose slope is found by differences.
  std::vector<State> found;
  for (const Real scale : {1.0, 1e-12}) {
    Equation e = diffusion(0.01);
    e.reaction = Reaction::of([scale](Real u) { return -5 * u * std::abs(u) / scale; });
    Problem p(Grid({Axis::uniform("x", 0, 1, 30, Unknowns::cells)}), e);
    p.initial = profile(scale, 0);
    p.default_boundary(insulated());
    ProblemBalance balance(p);
    State y = balance.initial_state();
    march(balance, y, plan_of("crank-nicolson", 0.05, 0.5));
    found.push_back(y);
  }
  for (std::size_t n = 0; n < found[0].size(); ++n)
    CHECK(found[1][n] == doctest::Approx(1e-12 * found[0][n]).epsilon(1e-8));
}
