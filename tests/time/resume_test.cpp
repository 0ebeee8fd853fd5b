// A run that goes on from a snapshot ends with the very same bits, whatever its steps and boundaries
// remember.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "support/marching.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

#ifdef WILLIWAW_SANITIZED
constexpr Index steps_in_all = 16;  // instrumented, every step takes long
#else
constexpr Index steps_in_all = 40;
#endif

struct Remembering {
  const char* name;
  Problem problem;
  std::vector<const char*> schemes;
  Real step;
};

Grid line(Unknowns unknowns, Index intervals = 24) {
  return Grid({Axis::uniform("x", 0, 1, intervals, unknowns)});
}

Grid plan(Unknowns unknowns) {
  return Grid({Axis::uniform("x", 0, 1, 12, unknowns), Axis::uniform("y", 0, 1, 14, unknowns)});
}

Real hill(Point p, Real) {
  return std::exp(-40 * (p.x - 0.4) * (p.x - 0.4) - 30 * (p.y - 0.6) * (p.y - 0.6));
}

Function swing() {
  return [](Point, Real t) { return 0.2 * std::sin(9 * t); };
}

Equation first_order_form(Equation e) {
  e.as_system = true;
  return e;
}

std::vector<Remembering> all_that_remembers() {
  const std::vector<const char*> of_second_order{"leapfrog", "newmark", "rk4",
                                                 "rk2",      "ssprk3",  "corrected-leapfrog"};
  const std::vector<const char*> explicit_ones{"ssprk3", "rk2", "rk4", "leapfrog"};
  std::vector<Remembering> result;
  const auto add = [&](const char* name, Problem p, const std::vector<const char*>& schemes, Real step) {
    p.initial = hill;
    result.push_back({name, std::move(p), schemes, step});
  };
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    Problem driven(line(u), wave([](Point p) { return 1 + 0.3 * p.x; }, 0.4));
    driven.boundary("west", driven_displacement(swing())).boundary("east", absorbing());
    add("wave on a line, driven and absorbing", driven, of_second_order, 0.01);
    Problem forced(line(u), wave(1.0));
    forced.boundary("west", driven_force(swing())).boundary("east", impedance(0.7));
    add("wave on a line, a force and an impedance", forced, of_second_order, 0.01);
    Problem open(plan(u), wave(1.0));
    open.boundary("west", absorbing(2))
        .boundary("east", absorbing(3))
        .boundary("south", absorbing_layer(4))
        .boundary("north", fixed_boundary());
    add("wave on a plan with absorbing sides of every kind", open, {"leapfrog"}, 0.01);
    Problem soft(plan(u), wave(1.0));
    soft.boundary("south", robin(2.0, swing())).default_boundary(absorbing());
    add("wave on a plan with elastic supports", soft, {"leapfrog", "newmark"}, 0.01);
    Problem ring(line(u), wave(1.0));
    ring.boundary("west", fixed_boundary()).boundary("east", free_boundary());
    add("wave on a line, fixed and free", ring, of_second_order, 0.01);
  }
  for (const char* reconstruction : {"first-order", "van-leer"}) {
    Problem stress(plan(Unknowns::cells), first_order_form(wave(1.0)));
    stress.reconstruction = reconstruction;
    stress.boundary("west", fixed_boundary())
        .boundary("east", free_boundary())
        .boundary("south", absorbing())
        .boundary("north", driven_displacement(swing()));
    add("rate and stress on a plan", stress, explicit_ones, 0.01);
  }
  for (const char* reconstruction : {"first-order", "superbee", "third-order", "weno5"}) {
    Problem advected(plan(Unknowns::cells),
                     transport(Velocity(Function([](Point, Real t) { return std::cos(8 * t); }), 0.3), 0.01));
    advected.reconstruction = reconstruction;
    advected.boundary("west", outflow_with_backflow(swing()))
        .boundary("east", outflow())
        .boundary("south", dirichlet(0.1))
        .boundary("north", outflow_with_stabilization());
    add("transport with outlets that turn back", advected,
        {"explicit-euler", "ssprk3", "rk4", "crank-nicolson", "bdf2", "sdirk4"}, 0.005);
  }
  Problem shock(line(Unknowns::cells, 40), conservation(quadratic_flux(), 0.001));
  shock.reconstruction = "monotonized-central";
  shock.numerical_flux = "engquist-osher";
  shock.boundary("west", dirichlet(swing())).boundary("east", outflow());
  add("a conservation law", shock, {"ssprk3", "rk2", "bdf2", "implicit-euler"}, 0.002);
  Problem looked(plan(Unknowns::nodes), transport(Velocity(0.8, -0.4)));
  looked.boundary("west", dirichlet(swing())).boundary("north", dirichlet(0.0)).default_boundary(outflow());
  add("transport looked up where it came from", looked, {"semi-lagrangian"}, 0.05);
  Equation reacting = diffusion(0.05, 1.0, swing());
  reacting.reaction = Reaction::of([](Real u) { return 8 * u * (1 - u) * (u - 0.3); });
  Problem front(line(Unknowns::cells), reacting);
  front.boundary("west", radiation(1e7, 0.2)).boundary("east", robin(1.0, swing()));
  add("a reaction and radiation", front,
      {"rk4", "crank-nicolson", "bdf2", "sdirk4", "theta", "imex-bdf2", "imex-euler"}, 0.005);
  return result;
}

}  // namespace

TEST_CASE("whatever steps and boundaries remember comes back from a snapshot, bit for bit") {
  std::set<std::string> schemes, problems;
  Index runs = 0;
  for (const Remembering& r : all_that_remembers())
    for (const char* name : r.schemes) {
      const auto& kinds = scheme_kinds();
      const auto kind = std::ranges::find(kinds, std::string(name), &SchemeKind::name);
      if (kind == kinds.end()) continue;
      CAPTURE(std::string(r.name));
      CAPTURE(std::string(name));
      Plan steps = plan_of(name, r.step, steps_in_all * r.step);
      steps.records = {5 * r.step, 10 * r.step};
      ProblemBalance balance(r.problem, built_for(name));
      State whole = balance.initial_state();
      std::vector<Snapshot> shots;
      Observers o;
      o.snapshot_due = [] { return true; };
      o.on_snapshot = [&](const Snapshot& shot) { shots.push_back(shot); };
      Outcome expected;
      try {
        expected = march(balance, whole, steps, o);
      } catch (const InputError&) {
        continue;  // a scheme that does not take this problem; counted below
      }
      ++runs;
      schemes.insert(name);
      problems.insert(r.name);
      REQUIRE(shots.size() > 10);
      for (const std::size_t at :
           {std::size_t{0}, std::size_t{1}, std::size_t{6}, shots.size() / 2, shots.size() - 2}) {
        ProblemBalance again(r.problem, built_for(name));
        State y = again.initial_state();
        const Outcome outcome = march(again, y, steps, {}, &shots[at]);
        CHECK(y == whole);
        CHECK(outcome.steps == expected.steps);
        CHECK(outcome.budget.residual() == expected.budget.residual());
        for (std::size_t l = 0; l < outcome.budget.amounts().size(); ++l)
          CHECK(outcome.budget.amounts()[l] == expected.budget.amounts()[l]);
      }
    }
  CHECK(problems.size() == 10);
  CHECK(schemes.size() >= 12);
  CHECK(runs >= 60);
}
