// What is stored at the start is the integral of what was stated, wherever regions meet within control
// volumes.
#include <doctest/doctest.h>

#include "support/smooth.hpp"

using namespace williwaw;

namespace {

// Two materials that meet at x = at, each with its own storage and initial value.
Problem two_materials(Index count, Real at, int dimension, Unknowns unknowns) {
  std::vector<Axis> axes{Axis::uniform("x", 0, 1, count, unknowns)};
  if (dimension == 2) axes.push_back(Axis::uniform("y", 0, 0.5, 6, unknowns));
  const auto regions = std::make_shared<const Regions>(
      std::vector<Region>{{"stone", inside([at](Point p) { return p.x > at; })}});
  const Function storage = Function::by_region(regions, {2.0, 7.0}),
                 initial = Function::by_region(regions, {10.0, -3.0});
  Problem p(Grid(axes), diffusion(1.0, storage), *regions);
  p.initial = initial;
  p.default_boundary(insulated());
  return p;
}

}  // namespace

TEST_CASE("initial values by region keep their content where regions meet within control volumes") {
  for (const int dimension : {1, 2})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
      for (const Real at : {0.5, 0.43, 0.3719, 0.61}) {
        CAPTURE(at);
        CAPTURE(dimension);
        ProblemBalance balance(two_materials(unknowns == Unknowns::nodes ? 21 : 20, at, dimension, unknowns));
        const State y = balance.initial_state();
        const Real exact = (dimension == 2 ? 0.5 : 1) * (2.0 * 10 * at + 7.0 * -3 * (1 - at));
        CHECK(balance.totals(y, 0).content == doctest::Approx(exact).epsilon(1e-6));
        for (const Real u : y) CHECK((u >= -3 && u <= 10));
      }
}
