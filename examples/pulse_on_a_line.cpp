// A pulse on a line: what comes back from ends of four kinds, and what becomes of its energy.
#include <algorithm>
#include <cmath>
#include <cstdio>

#include "williwaw/williwaw.hpp"
using namespace williwaw;

int main() {
  constexpr Index cells = 400;
  const auto pulse = [](Real s) { return std::exp(-s * s / 0.005); };
  struct End {
    const char* name;
    Boundary boundary;
  };
  for (const End& end : {End{"fixed", fixed_boundary()}, End{"free", free_boundary()},
                         End{"absorbing", absorbing()}, End{"impedance 3", impedance(3.0)}}) {
    Problem line(Grid({Axis::uniform("x", 0, 1, cells, Unknowns::cells)}), wave(1.0));
    line.boundary("west", fixed_boundary()).boundary("east", end.boundary);
    // Rate −c·f' sends the whole pulse to the east.
    line.initial = [=](Point p) { return pulse(p.x - 0.5); };
    line.initial_rate = [=](Point p) { return 2 * (p.x - 0.5) / 0.005 * pulse(p.x - 0.5); };
    const auto judged = verify::stability(line, scheme("leapfrog"), 0.8 / cells);
    ProblemBalance balance(line);
    State u = balance.initial_state();
    const Outcome out = march(balance, u, {.scheme = scheme("leapfrog"), .until = 0.8, .step = 0.8 / cells});
    const auto [low, high] = std::ranges::minmax_element(u);
    std::printf(
        "%-12s comes back as %6.3f, keeps %5.1f %% of its energy; step at %.2f of its limit, %.0e not "
        "accounted for\n",
        end.name, std::abs(*low) > *high ? *low : *high,
        100 * out.totals.content / out.budget.initial_content(), judged.fraction_of_limit(),
        out.budget.relative_residual());
  }
}
