// The quadratic flux of 2048 x 2048 cells by van Leer's slopes and ssprk3, two threads, as a ratio
// to a loop written by hand for the same data, interleaved in one run; the same with the flux as a formula;
// and how far semi-Lagrangian steps at a Courant number of 5 come in the time of those in flux form. Totals,
// extremes and the budget are counted by ours and not by the loop.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "memory.hpp"
#include "timing.hpp"
#include "williwaw/casefile/formula.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;

constexpr int threads = 2;

Grid plan_of(Index side) {
  std::vector<Real> faces;
  for (Index i = 0; i <= side; ++i) faces.push_back(static_cast<Real>(i) / static_cast<Real>(side));
  return Grid({Axis("x", faces, Unknowns::cells, true), Axis("y", faces, Unknowns::cells, true)});
}

Real shape(Point p) {
  return 0.4 + std::sin(2 * M_PI * p.x) * std::cos(4 * M_PI * p.y);
}

struct Quadratic {
  Real flux(Real u) const { return 0.5 * u * u; }
  Real speed(Real u) const { return u; }
};

// The same law from a formula, as case files give it.
class ByFormula final : public FluxLaw {
 public:
  std::string name() const override { return "u^2/2"; }
  void flux(int, std::span<const Real> u, std::span<Real> out) const override {
    flux_.rate(Points(static_cast<Index>(u.size())), 0, u, out);
  }
  void speed(int, std::span<const Real> u, std::span<Real> out) const override {
    speed_.rate(Points(static_cast<Index>(u.size())), 0, u, out);
  }

 private:
  Reaction flux_ = casefile::compile_reaction("u^2/2", {}, {}),
           speed_ = casefile::compile_reaction("u", {}, {});
};

void shocks(benchmark::State& state, std::shared_ptr<const FluxLaw> law, Index side) {
  const bool by_formula = std::dynamic_pointer_cast<const ByFormula>(law) != nullptr;
  Problem problem(plan_of(side), conservation(std::move(law)));
  problem.initial = shape;
  problem.reconstruction = "van-leer";
  ProblemBalance balance(problem, {threads});
  auto stepper = make_stepper(balance, scheme("ssprk3"));
  State y = balance.initial_state();
  const Real h = 1.0 / static_cast<Real>(side), step = 0.2 * h;
  Ledger amounts(balance.lines().size());
  bench::Array a(y.size()), b(y.size()), c(y.size());
  std::copy(y.begin(), y.end(), a.data());
  double *first = a.data(), *second = b.data(), *third = c.data();
  std::vector<double> ours, hand;
  Real at = 0;
  for (auto _ : state) {
    ours.push_back(seconds_of([&] { stepper->advance(y, at, step, amounts); }));
    hand.push_back(seconds_of([&] {
      const double ratio = step / h;
      bench::hand_tuned_stage(first, first, second, side, 1, ratio, threads);
      bench::hand_tuned_stage(first, second, third, side, 0.25, 0.25 * ratio, threads);
      bench::hand_tuned_stage(first, third, second, side, 2.0 / 3, 2.0 / 3 * ratio, threads);
    }));
    std::swap(first, second);
    at += step;
    state.SetIterationTime(ours.back());
  }
  Real apart = 0;
  for (std::size_t n = 0; n < y.size(); ++n) apart = std::max(apart, std::abs(y[n] - first[n]));
  state.counters["speed/hand-tuned"] = median(hand) / median(ours);
  bench::row("van Leer and ssprk3, " + std::to_string(side) + "^2, " +
                 (by_formula ? "flux by a formula" : "compiled flux"),
             "speed over that of the hand-tuned loop", median(hand) / median(ours));
  state.counters["largest difference"] = apart;
}

void semi_lagrangian(benchmark::State& state) {
  const Index side = bench::at_size<Index>(1024, 40);
  Problem problem(plan_of(side), transport(Velocity::of_stream_function([](Point p) {
                    return std::sin(2 * M_PI * p.x) * std::sin(2 * M_PI * p.y) / (2 * M_PI);
                  })));
  problem.initial = shape;
  Problem back = problem;
  problem.reconstruction = "van-leer";
  ProblemBalance one(problem, {threads}), other(back, {threads, true});
  auto flux_form = make_stepper(one, scheme("ssprk3")),
       semi_lagrangian = make_stepper(other, scheme("semi-lagrangian"));
  State y = one.initial_state(), z = y;
  const Real fastest = one.advection(0, y)->velocities().fastest();
  Ledger amounts(one.lines().size()), others(other.lines().size());
  std::vector<double> short_steps, long_steps;
  for (auto _ : state) {
    short_steps.push_back(seconds_of([&] { flux_form->advance(y, 0, 0.45 / fastest, amounts); }));
    long_steps.push_back(seconds_of([&] { semi_lagrangian->advance(z, 0, 5 / fastest, others); }));
    state.SetIterationTime(long_steps.back());
  }
  const double covered = median(short_steps) / 0.45 * 5 / median(long_steps);
  state.counters["time covered/flux form"] = covered;
  bench::row("semi-Lagrangian, " + std::to_string(side) + "^2, Courant number 5",
             "time covered over that of flux form in as long", covered);
}

BENCHMARK_CAPTURE(shocks, compiled_flux, flux_law(Quadratic{}), bench::at_size<Index>(2048, 40))
    ->UseManualTime()
    ->Iterations(bench::at_size(15, 1))
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(shocks, formula_flux, std::make_shared<ByFormula>(), bench::at_size<Index>(2048, 40))
    ->UseManualTime()
    ->Iterations(bench::at_size(3, 1))
    ->Unit(benchmark::kMillisecond);
BENCHMARK(semi_lagrangian)->UseManualTime()->Iterations(bench::at_size(7, 1))->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
