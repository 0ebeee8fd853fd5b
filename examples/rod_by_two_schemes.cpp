// A rod cools between two prescribed ends: explicit Euler and Crank-Nicolson on the same problem, against the
// exact solution of its first mode.
#include <cmath>
#include <cstdio>
#include <numbers>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

int main() {
  const Grid grid({Axis::uniform("x", 0, 1, 40, Unknowns::nodes)});
  Problem rod(grid, diffusion(1.0));
  rod.initial = [](Point p) { return std::sin(std::numbers::pi * p.x); };
  rod.default_boundary(dirichlet(0.0));

  const Real until = 0.1;
  const auto exact = [until](const Point& p) {
    return std::exp(-std::numbers::pi * std::numbers::pi * until) * std::sin(std::numbers::pi * p.x);
  };
  std::printf("%-18s %8s %12s %14s %16s\n", "scheme", "steps", "step/limit", "error maximum",
              "budget residual");
  for (const char* name : {"explicit-euler", "crank-nicolson"}) {
    Plan plan;
    plan.scheme = scheme(name);
    plan.until = until;
    plan.step = until / 400;
    const auto judged = verify::stability(rod, plan.scheme, plan.step);

    ProblemBalance balance(rod);
    State state = balance.initial_state();
    const Outcome outcome = march(balance, state, plan);
    const Norms error = Field(grid, state).difference(exact);
    std::printf("%-18s %8td %12.3f %14.3e %16.1e\n", name, outcome.steps, judged.fraction_of_limit(),
                error.max, outcome.budget.relative_residual());
    if (!(error.max < 1e-3)) return 1;
  }
}
