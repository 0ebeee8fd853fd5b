// Rain on a dry column of 10⁴ cells: steps and Newton's corrections over a storm, and what they take as a
// ratio to as many solves of a linear system of the same size, both in one run.
#include <cstdio>

#include "timing.hpp"
#include "williwaw/problem/soil.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::seconds_of;

Problem column(Index cells) {
  const Soil loam =
      soil(soil_model("van-genuchten"), {{"alpha", 3.6}, {"n", 1.56}}, {0.06, 0.43, 2.9e-6, 1e-5});
  Problem p(Grid({Axis::uniform("z", 0, 2, cells, Unknowns::cells)}), unsaturated(loam, Point{0, 0, 1}));
  // Twelve hours, of which rain falls in six, beyond what the soil takes.
  p.boundary("top", rain([](Real t) { return t < 21600 ? 5.6e-6 : 0.0; }, 0.0))
      .boundary("bottom", free_drainage());
  p.initial = -2.0;
  return p;
}

}  // namespace

int main() {
  const auto cells = bench::at_size<Index>(10000, 200);
  auto balance = make_balance(column(cells));
  State y = balance->initial_state();
  Plan plan;
  plan.scheme = scheme("implicit-euler");
  plan.until = bench::at_size(43200.0, 3600.0);
  plan.adaptive = Tolerance{5e-3, false};
  Outcome out;
  const double whole = seconds_of([&] { out = march(*balance, y, plan); });

  // As many solves of the matrix about the state at the end.
  LinearSystem system;
  balance->linearise(y, plan.until, 1, 10, Parts::all(), system);
  State right(y.size(), 1.0), solution(y.size());
  const double solves = seconds_of([&] {
    for (Index n = 0; n < out.newton_iterations; ++n) {
      const auto solver = make_solver("auto", system);
      solver->factor(system);
      solver->solve(right, solution);
    }
  });
  std::printf("%lld cells, %s: %lld steps, %lld rejected, %lld Newton corrections (%.2f a step)\n",
              static_cast<long long>(cells),
              out.ending == Outcome::Ending::reached ? "done" : out.reason.c_str(),
              static_cast<long long>(out.steps), static_cast<long long>(out.rejected),
              static_cast<long long>(out.newton_iterations),
              static_cast<double>(out.newton_iterations) / static_cast<double>(out.steps));
  std::printf("time %.3g s; %.3g times that of as many linear solves; budget residual %.1e\n", whole,
              whole / solves, out.budget.relative_residual());
  bench::row("storm on a column of " + std::to_string(cells) + " cells, Newton, adaptive",
             "time over that of as many linear solves", whole / solves);
  return out.ending == Outcome::Ending::reached ? 0 : 1;
}
