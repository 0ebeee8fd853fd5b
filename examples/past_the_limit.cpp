// Past the limit on purpose: the largest stable step of an explicit scheme is computed, kept to, and then
// passed by one per cent.
#include <cstdio>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

int main() {
  const Grid grid(
      {Axis::uniform("x", 0, 1, 20, Unknowns::cells), Axis::uniform("y", 0, 0.5, 20, Unknowns::cells)});
  Problem plan_view(grid, diffusion(1.0));
  // A ragged start holds a little of every mode, the fastest one included.
  plan_view.initial = [](Point p) { return p.x > 0.5 && p.y < 0.2 ? 1.0 : 0.0; };
  plan_view.boundary("east", robin(4.0, 0.5)).boundary("north", dirichlet(0.0)).default_boundary(insulated());

  const Scheme euler = scheme("explicit-euler");
  const auto judged = verify::stability(plan_view, euler, 0);
  std::printf("largest stable step %.6e; the rule for one dimension, h^2/2, would allow %.6e\n",
              judged.limit.step, 0.5 * 0.025 * 0.025);
  for (const Real fraction : {0.99, 1.01}) {
    ProblemBalance balance(plan_view);
    State state = balance.initial_state();
    Plan plan;
    plan.scheme = euler;
    plan.step = fraction * judged.limit.step;
    plan.until = 4000 * plan.step;
    const Outcome outcome = march(balance, state, plan);
    const bool blew_up = outcome.ending == Outcome::Ending::blew_up;
    std::printf("%.2f of it: %s after %td steps, values from %.3g to %.3g\n", fraction,
                blew_up ? "blew up" : "went on", outcome.steps, outcome.totals.lowest,
                outcome.totals.highest);
    if (blew_up) std::printf("  %s\n", outcome.reason.c_str());
    if (blew_up != (fraction > 1)) return 1;
  }
}
