// The sharp limit put to the test: 10^5 steps just below it stay, a step one per cent above it blows up, and
// the analysis says so beforehand.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "support/marching.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Problem rough_problem(int dimension, Unknowns unknowns) {
  Problem p(graded_grid(dimension,
                        dimension == 1   ? 12
                        : dimension == 2 ? 7
                                         : 4,
                        unknowns),
            diffusion(std::array<Function, 3>{1.0, 0.4, 2.0}));
  p.boundary("west", robin(30.0, 0.3)).boundary("east", robin(1.0, -0.2));
  p.default_boundary(insulated());
  return p;
}

Outcome run(const Problem& p, Real step, Index steps) {
  ProblemBalance balance(p);
  State y(static_cast<std::size_t>(balance.layout().size()));
  std::mt19937 generator(1);
  std::uniform_real_distribution<Real> values(0, 1);
  for (Real& v : y) v = values(generator);
  Plan plan;
  plan.scheme = scheme("explicit-euler");
  plan.step = step;
  plan.until = step * static_cast<Real>(steps);
  plan.series_every = plan.until;
  return march(balance, y, plan);
}

}  // namespace

TEST_CASE("explicit Euler holds 10^5 steps at 0.999 of its limit and blows up at 1.01 of it" *
          doctest::skip(instrumented)) {
  for (int dimension = 1; dimension <= 3; ++dimension)
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      CAPTURE(dimension);
      CAPTURE(name_of(unknowns));
      const Problem p = rough_problem(dimension, unknowns);
      const Real limit = verify::stability(p, scheme("explicit-euler"), 1).limit.step;
      CHECK(verify::stability(p, scheme("explicit-euler"), 0.999 * limit).stable());
      CHECK_FALSE(verify::stability(p, scheme("explicit-euler"), 1.01 * limit).stable());
      const Outcome below = run(p, 0.999 * limit, 100000);
      CHECK(below.ending == Outcome::Ending::reached);
      CHECK(below.totals.highest < 1);
      CHECK(below.budget.relative_residual() < 1e-12);
      const Outcome above = run(p, 1.01 * limit, 100000);
      CHECK(above.ending == Outcome::Ending::blew_up);
      CHECK(std::isfinite(above.totals.highest));
      CHECK(std::max(above.totals.highest, -above.totals.lowest) < 1000);
    }
}
