// Ice floes drift down Skarrow Sound, slower where they crowd: a flux of one's own is a struct with f and its
// wave speed, nothing else. A jam stands still or runs back; what comes out of it opens as a fan.
#include <cstdio>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

namespace {

// Floes cover the share u of the water and drift at 1 − u.
struct Crowding {
  Real flux(Real u) const { return u * (1 - u); }
  Real speed(Real u) const { return 1 - 2 * u; }
};

}  // namespace

int main() {
  Problem problem(Grid({Axis::uniform("x", 0, 10, 400, Unknowns::cells)}),
                  conservation(flux_law(Crowding{}, "u(1 − u)")));
  problem.initial = [](Point p) { return p.x > 4 && p.x < 6 ? 0.9 : 0.2; };
  problem.reconstruction = "van-leer";
  problem.boundary("west", dirichlet(0.2)).boundary("east", outflow());

  ProblemBalance balance(problem);
  State state = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("ssprk3");
  plan.until = 3;
  plan.step = 0.01;
  plan.records = {1, 2};
  const auto judged = verify::stability(balance, plan.scheme, plan.step);
  std::printf("steps up to %.4f make no new extrema; this one is %.4f\n", judged.positivity.step, plan.step);

  Observers observers;
  observers.on_record = [&](const StepInfo& m) {
    const Field floes = balance.field(m.state, m.time);
    std::printf("t = %.0f: from %.3f to %.3f, variation %.3f, at x = 3, 5, 7: %.3f %.3f %.3f\n", m.time,
                floes.lowest(), floes.highest(), verify::shape_of(balance, m.state).variation,
                floes.sample({3, 0, 0}), floes.sample({5, 0, 0}), floes.sample({7, 0, 0}));
  };
  const Outcome outcome = march(balance, state, plan, observers);
  std::printf("what came in less what went out leaves %.1e unaccounted for\n", outcome.budget.residual());
  return outcome.ending == Outcome::Ending::reached && outcome.totals.highest <= 0.9 + 1e-12 ? 0 : 1;
}
