// Gusts over the sound: a velocity that advects itself, started from smooth random fields. Fronts form where
// gusts catch up with each other; the decay of the energy is checked by refinement.
#include <cmath>
#include <cstdio>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

namespace {

Problem component(Index cells, std::uint64_t seed) {
  std::vector<Real> faces;
  for (Index i = 0; i <= cells; ++i) faces.push_back(static_cast<Real>(i) / static_cast<Real>(cells));
  Problem p(Grid({Axis("x", faces, Unknowns::cells, true), Axis("y", faces, Unknowns::cells, true)}),
            diffusion(0.004));
  p.initial = [noise = smooth_noise(p.grid(), 1, 0.15, seed)](Point q) { return noise(q); };
  p.reconstruction = "van-leer";
  return p;
}

Real energy_at_end(Index cells) {
  ProblemBalance wind({component(cells, 11), component(cells, 12)}, {}, self_advecting_flux(2));
  State state = wind.initial_state();
  Plan plan;
  plan.scheme = scheme("ssprk3");
  plan.until = 0.2;
  plan.records = {0.05, 0.1, 0.15};
  plan.step = 0.35 / wind.fastest(state);
  plan.trim = true;
  Real energy = 0;
  Observers observers;
  observers.on_record = [&](const StepInfo& m) {
    const Field u = wind.field(m.state, m.time, 0), v = wind.field(m.state, m.time, 1);
    energy = (0.5 * (u * u + v * v)).mean();
    std::printf("%3td cells, t = %.2f: energy %.4f, steepest %.1f\n", cells, m.time, energy,
                gradient(u).magnitude().highest());
  };
  march(wind, state, plan, observers);
  return energy;
}

}  // namespace

int main() {
  const Real coarse = energy_at_end(48), fine = energy_at_end(96);
  return std::abs(coarse - fine) < 0.15 * fine ? 0 : 1;
}
