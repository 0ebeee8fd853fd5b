// A duct through a wall of two materials: the steady temperature, what flows through each boundary, and
// how sure that is.
#include <cmath>
#include <cstdio>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

int main() {
  // The duct is round, the grid is not: its outline is followed with partly open control volumes.
  const Regions regions(
      {{"duct", inside([](Point p) { return std::hypot(p.x - 0.5, p.y - 0.3) < 0.12; }), false},
       {"cladding", inside([](Point p) { return p.y > 0.5; })}});
  const auto shared = std::make_shared<const Regions>(regions);
  const Function conductivity = Function::by_region(shared, {1.4, 1.4, 0.04});

  Problem boundary(
      Grid({Axis::uniform("x", 0, 1, 100, Unknowns::cells), Axis::uniform("y", 0, 0.6, 60, Unknowns::cells)}),
      heat(conductivity, 2000.0, 900.0), regions);
  boundary.boundary("south", robin(8.0, 293.15))
      .boundary("north", robin(25.0, 263.15))
      .boundary("duct", robin(12.0, 278.15));
  boundary.default_boundary(insulated());

  ProblemBalance balance(boundary);
  State state = balance.initial_state();
  const SteadyOutcome found = solve_steady(balance, state);

  std::printf("%s, %td iterations, residual %.1e\n", found.solver.c_str(), found.iterations(),
              found.residuals.back());
  for (std::size_t l = 0; l < balance.lines().size(); ++l)
    if (found.flows[l] != 0)
      std::printf("%-16s %8.3f W/m\n", balance.lines()[l].name.c_str(), found.flows[l]);
  std::printf("left by the solver %.1e W/m; the duct's outline is %.4f m (a circle's: %.4f m)\n", found.left,
              balance.outline().measure().exposed[0], 2 * M_PI * 0.12);
  return found.reached ? 0 : 1;
}
