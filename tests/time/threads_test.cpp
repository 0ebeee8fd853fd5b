// The number of threads shows in no bit, whatever is marched. ThreadSanitizer runs these cases as well.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Grid plan_of_cells(Index nx, Index ny, Unknowns unknowns = Unknowns::cells) {
  return Grid({Axis::uniform("x", 0, 1, nx, unknowns), Axis::uniform("y", 0, 1, ny, unknowns)});
}

struct Marched {
  const char* name;
  Problem problem;
  const char* scheme;
  Real step;
};

std::vector<Marched> all_kinds_of_marches() {
  const Function hill(
      [](Point p) { return std::exp(-30 * std::pow(p.x - 0.4, 2) - 20 * std::pow(p.y - 0.5, 2)); });
  std::vector<Marched> result;
  const auto add = [&](const char* name, Problem p, const char* scheme_name, Real step) {
    p.initial = hill;
    result.push_back({name, std::move(p), scheme_name, step});
  };
  const Function varying([](Point p) { return 1 + p.x * p.y; });
  const Regions hole(
      {{"hole", inside([](Point p) { return std::hypot(p.x - 0.7, p.y - 0.6) < 0.15; }), false}});
  Problem plate(plan_of_cells(61, 47), diffusion(varying), hole);
  plate.default_boundary(robin(2.0, 0.3));
  add("diffusion around a hole", plate, "explicit-euler", 5e-6);
  add("diffusion around a hole", plate, "stabilized", 1e-3);
  add("diffusion around a hole", plate, "crank-nicolson", 1e-2);
  Problem nodes(plan_of_cells(40, 52, Unknowns::nodes), diffusion(varying));
  nodes.boundary("west", dirichlet(1.0)).default_boundary(insulated());
  add("diffusion at nodes by directions", nodes, "adi", 1e-2);
  add("diffusion at nodes", nodes, "bdf2", 1e-2);
  Problem block(
      Grid({Axis::uniform("x", 0, 1, 14, Unknowns::cells), Axis::uniform("y", 0, 1, 12, Unknowns::cells),
            Axis::uniform("z", 0, 1, 13, Unknowns::cells)}),
      wave(varying));
  block.boundary("bottom", fixed_boundary()).boundary("top", absorbing()).default_boundary(free_boundary());
  add("a wave in a block", block, "leapfrog", 0.01);
  for (const char* reconstruction : {"first-order", "van-leer", "weno5"}) {
    Problem dye(plan_of_cells(55, 48), transport(Velocity(varying, -0.6), 1e-3));
    dye.reconstruction = reconstruction;
    dye.boundary("west", dirichlet(0.2))
        .boundary("east", outflow())
        .default_boundary(outflow_with_backflow(0.0));
    add("something carried", dye, "ssprk3", 2e-3);
  }
  Problem law(plan_of_cells(51, 44), conservation(quadratic_flux(), 1e-3));
  law.reconstruction = "superbee";
  law.default_boundary(insulated());
  add("a conservation law", law, "rk2", 2e-3);
  Equation stress = wave(1.0);
  stress.as_system = true;
  Problem system(plan_of_cells(41, 45), stress);
  system.reconstruction = "monotonized-central";
  system.boundary("west", fixed_boundary()).default_boundary(absorbing());
  add("rate and stress", system, "ssprk3", 5e-3);
  Problem looked(plan_of_cells(44, 41, Unknowns::nodes), transport(Velocity(0.5, -0.3)));
  looked.boundary("west", dirichlet(0.0)).boundary("north", dirichlet(0.0)).default_boundary(outflow());
  add("something looked up where it came from", looked, "semi-lagrangian", 0.05);
  return result;
}

}  // namespace

TEST_CASE("threads do not change a single bit of what is marched, of its budget or of its extremes") {
  for (const Marched& m : all_kinds_of_marches()) {
    CAPTURE(std::string(m.name));
    CAPTURE(std::string(m.scheme));
    std::vector<State> found;
    for (const int threads : {1, 2, 3, 5}) {
      ProblemBalance balance(m.problem, built_for(m.scheme, threads));
      State y = balance.initial_state();
      Plan steps = plan_of(m.scheme, m.step, 6 * m.step);
      steps.threads = threads;
      const Outcome outcome = march(balance, y, steps);
      REQUIRE(outcome.ending == Outcome::Ending::reached);
      y.insert(y.end(), {outcome.totals.content, outcome.totals.lowest, outcome.totals.highest,
                         outcome.totals.integral});
      for (std::size_t l = 0; l < balance.lines().size(); ++l) y.push_back(outcome.budget.amounts()[l]);
      found.push_back(y);
      CAPTURE(threads);
      CHECK(found.back() == found.front());
    }
  }
}

TEST_CASE("threads do not change a single bit of explicit steps on some tens of thousands of cells") {
  const auto run = [](int threads) {
    Problem p(Grid({Axis::uniform("x", 0, 1, 220, Unknowns::cells),
                    Axis::uniform("y", 0, 1, 150, Unknowns::cells)}),
              diffusion(1.0, 1.0, [](Point q) { return q.x; }));
    p.initial = [](Point q) { return std::sin(9 * q.x) * q.y; };
    p.boundary("west", robin(2, 1)).default_boundary(dirichlet(0.5));
    ProblemBalance balance(p, {threads, false});
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme("explicit-euler");
    plan.step = 2e-6;
    plan.until = 40 * plan.step;
    const Outcome outcome = march(balance, y, plan);
    y.push_back(outcome.totals.content);
    for (std::size_t l = 0; l < outcome.budget.lines().size(); ++l) y.push_back(outcome.budget.amounts()[l]);
    return y;
  };
  CHECK(run(1) == run(2));
  CHECK(run(1) == run(3));
}
