// The number of threads shows in no bit, whatever is marched. ThreadSanitizer runs these cases as well.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marches.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

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

TEST_CASE("threads do not change a single bit of steps that share a pass over memory") {
  Problem plate(plan_of_cells(230, 190), diffusion(1.0));
  plate.boundary("west", dirichlet(1.0)).default_boundary(robin(2.0, 0.3));
  Problem bay(plan_of_cells(230, 190), wave(1.0));
  bay.boundary("west", fixed_boundary()).default_boundary(free_boundary());
  Problem block(
      Grid({Axis::uniform("x", 0, 1, 16, Unknowns::cells), Axis::uniform("y", 0, 1, 48, Unknowns::cells),
            Axis::uniform("z", 0, 1, 70, Unknowns::cells, true)}),
      diffusion(1.0));
  block.default_boundary(insulated());
  const std::pair<Problem*, const char*> marches[] = {
      {&plate, "explicit-euler"}, {&plate, "rk4"}, {&bay, "leapfrog"}, {&block, "explicit-euler"}};
  for (const auto& [problem, scheme_name] : marches) {
    const std::string by = scheme_name;
    CAPTURE(by);
    problem->initial = [](Point q) { return std::sin(9 * q.x) * q.y + q.z; };
    std::vector<State> found;
    for (const int threads : {1, 2, 3}) {
      Execution execution{threads};
      execution.cache = 100000;
      ProblemBalance balance(*problem, execution);
      State y = balance.initial_state();
      Plan steps = plan_of(by.c_str(), 2e-6, 30 * 2e-6);
      steps.series_every = steps.until;
      const Outcome outcome = march(balance, y, steps);
      CHECK(outcome.tiling.steps > 0);
      y.push_back(outcome.totals.content);
      for (std::size_t l = 0; l < balance.lines().size(); ++l) y.push_back(outcome.budget.amounts()[l]);
      found.push_back(y);
      CHECK(found.back() == found.front());
    }
  }
}
