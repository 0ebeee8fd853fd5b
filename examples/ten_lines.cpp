#include <cstdio>

#include "williwaw/williwaw.hpp"
using namespace williwaw;
int main() {
  Problem slab(Grid({Axis::uniform("x", 0, 0.4, 80, Unknowns::cells)}), heat(1.4, 2200, 880));
  slab.initial = 18;
  slab.boundary("west", dirichlet(-22)).boundary("east", robin(8, 20) + flux(15));
  ProblemBalance balance(slab);
  State state = balance.initial_state();
  Outcome end = march(balance, state, {.scheme = scheme("rk4"), .until = 43200, .step = 20});
  std::printf("%.2f at the pipe, %.1e not accounted for\n",
              balance.field(state, end.time).sample({0.12, 0, 0}), end.budget.relative_residual());
}
