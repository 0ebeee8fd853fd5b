// Patches of salt that diffuse: the mean steepness that random patches keep after a while, its error by
// refinement, and arithmetic with fields: gradients, means, conservative transfer between grids.
#include <cmath>
#include <cstdio>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

namespace {

Grid square(Index cells) {
  return Grid(
      {Axis::uniform("x", 0, 1, cells, Unknowns::cells), Axis::uniform("y", 0, 1, cells, Unknowns::cells)});
}

// Four samples, each half a field of noise, after a while of diffusion: their mean steepness.
Field steepness(const Grid& grid) {
  Problem problem(grid, diffusion(0.01));
  problem.default_boundary(insulated());
  ProblemBalance balance(problem);
  std::vector<State> batch;
  for (std::uint64_t seed = 1; seed <= 4; ++seed)
    batch.push_back((0.5 * sample(grid, smooth_noise(grid, 1, 0.15, seed))).values());
  Plan plan;
  plan.scheme = scheme("crank-nicolson");
  plan.until = 0.2;
  plan.step = 0.01;
  march_batch(balance, batch, plan);
  Field sum(grid);
  for (const State& y : batch) sum = sum + gradient(balance.field(y, plan.until)).magnitude();
  return sum / 4.0;
}

}  // namespace

int main() {
  const Field coarse = steepness(square(24)), fine = steepness(square(72));
  const Field brought = resample(fine, coarse.grid(), Resampling::conserve);
  std::printf("mean steepness %.4f on 24 x 24 cells, %.4f on 72 x 72\n", coarse.mean(), fine.mean());
  std::printf("integral before and after resampling: %.12f %.12f\n", fine.integral(), brought.integral());
  const Norms apart = coarse.difference(brought);
  std::printf("they differ by %.4f in the mean\n", apart.l1);
  const Field middle = slice(fine, 1, 0.5);
  std::printf("along y = 0.5 it goes from %.4f to %.4f\n", middle.lowest(), middle.highest());
  return apart.l1 < 0.05 * fine.mean() && std::abs(fine.integral() - brought.integral()) < 1e-12 ? 0 : 1;
}
