// Several steps in one pass over memory, two threads, as a ratio to a loop tuned by hand that takes one step
// at a time, interleaved in one run. Budget, guard's extremes and energies are counted by ours and not by the
// other.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "memory.hpp"
#include "timing.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;

constexpr int threads = 2;

struct Work {
  int dimension;
  Index side;
  bool varying, wave;
};

Problem problem_of(const Work& work) {
  std::vector<Axis> axes;
  for (int a = 0; a < work.dimension; ++a)
    axes.push_back(
        Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1, work.side, Unknowns::cells));
  const Function one = work.varying ? Function([](Point p) { return 1 + 0.5 * p.x * p.y; }) : Function(1.0);
  Problem problem(Grid(std::move(axes)), work.wave ? wave(one) : diffusion(one));
  problem.initial = [](Point p) {
    return std::exp(-30 * ((p.x - 0.5) * (p.x - 0.5) + (p.y - 0.4) * (p.y - 0.4)));
  };
  problem.default_boundary(work.wave ? free_boundary() : insulated());
  return problem;
}

// The loop by hand, one step after another from `first` to `second` and back.
struct ByHand {
  const Work& work;
  Real square;  ///< of constant coefficients
  Real factor;  ///< of the conductances
  const Conductances* faces;

  void step(double* first, double* second) const {
    const Index layers = work.dimension == 3 ? work.side : 1;
    const double* z = work.varying && work.dimension == 3 ? faces->faces(2).data() : nullptr;
    if (work.wave && work.varying)
      bench::hand_tuned_leapfrog(first, second, work.side, layers, faces->faces(0).data(),
                                 faces->faces(1).data(), z, factor, threads);
    else if (work.wave)
      bench::hand_tuned_leapfrog(first, second, work.side, layers, square, threads);
    else if (work.varying)
      bench::hand_tuned_step(first, second, work.side, layers, faces->faces(0).data(), faces->faces(1).data(),
                             z, factor, threads);
    else
      bench::hand_tuned_step(first, second, work.side, layers, square, threads);
  }
};

void tiles(benchmark::State& state, const Work& work) {
  ProblemBalance balance(problem_of(work), {threads});
  const Real h = 1.0 / static_cast<Real>(work.side), volume = std::pow(h, work.dimension);
  const Real step = work.wave ? 0.4 * h : 0.1 * h * h;
  const Real square = (work.wave ? step * step : step) / (h * h);
  State now = balance.initial_state(), before(now.size()), last(now.size()), second_last(now.size());
  AtOnce at_once = balance.at_once();
  if (work.wave) {
    State rate;
    balance.dynamics().initial_rate(rate);
    balance.dynamics().prepare_leapfrog(now, rate, 0, step, nullptr, nullptr, before);
    at_once = balance.dynamics().at_once();
  }
  bench::Array a(now.size()), b(now.size());
  std::copy(now.begin(), now.end(), a.data());
  std::copy(before.begin(), before.end(), b.data());
  const auto conductances = balance.conductances(0);
  const ByHand by_hand{work, square, (work.wave ? step * step : step) / volume, conductances.get()};
  // Tiny sizes stay in the cache and have no passes.
  const auto steps = static_cast<std::size_t>(std::max(at_once.steps, 1));
  const std::vector<Real> times(steps, 0.0);
  std::vector<Ledger> amounts(steps, Ledger(balance.lines().size()));
  std::vector<Totals> totals(steps);
  const Pass pass{times, step, amounts, totals};
  double *first = a.data(), *second = b.data();
  std::vector<double> ours, hand;
  for (auto _ : state) {
    ours.push_back(seconds_of([&] {
                     if (steps < 2)
                       balance.rate(now, 0, Parts::all(), last, amounts.front());
                     else if (work.wave)
                       balance.dynamics().leapfrog_several(now, before, pass, second_last, last);
                     else
                       balance.advance_several(now, pass, second_last, last);
                   }) /
                   static_cast<double>(steps));
    now.swap(last);
    before.swap(second_last);
    hand.push_back(seconds_of([&] {
                     for (std::size_t s = 0; s < steps; ++s) {
                       by_hand.step(first, second);
                       std::swap(first, second);
                     }
                   }) /
                   static_cast<double>(steps));
    benchmark::DoNotOptimize(second);
    state.SetIterationTime(ours.back());
  }
  Real apart = 0;
  for (std::size_t n = 0; n < now.size(); ++n) apart = std::max(apart, std::abs(now[n] - first[n]));
  state.counters["speed/hand-tuned"] = median(hand) / median(ours);
  state.counters["steps a pass"] = static_cast<double>(steps);
  state.counters["largest difference"] = apart;
  bench::row((work.wave ? "leapfrog, " : "explicit step, ") + std::to_string(work.side) + "^" +
                 std::to_string(work.dimension) + (work.varying ? ", varying, " : ", constant, ") +
                 std::to_string(steps) + " steps a pass",
             "speed over that of the hand-tuned loop, one step at a time", median(hand) / median(ours));
}

// Steps of the classical scheme of order 4.
void tiles_of_stages(benchmark::State& state) {
  const Index side = bench::at_size<Index>(4096, 40);
  ProblemBalance balance(problem_of({2, side, false, false}), {threads});
  const Real h = 1.0 / static_cast<Real>(side), step = 0.1 * h * h;
  const ExplicitStages scheme_stages = *stages_by_line(scheme("rk4").tableau());
  const int most = balance.stages_at_once(scheme_stages).steps;
  const auto steps = static_cast<std::size_t>(std::max(most, 1));
  State now = balance.initial_state(), before(now.size()), last(now.size());
  bench::Array a(now.size()), b(now.size()), one(now.size()), two(now.size());
  std::copy(now.begin(), now.end(), a.data());
  const std::vector<Real> times(steps, 0.0);
  std::vector<Ledger> amounts(steps, Ledger(balance.lines().size()));
  std::vector<Totals> totals(steps);
  double *first = a.data(), *second = b.data();
  std::vector<double> ours, single, hand;
  for (auto _ : state) {
    ours.push_back(seconds_of([&] {
                     balance.advance_in_stages(now, {times, step, amounts, totals}, scheme_stages, most > 0,
                                               before, last);
                   }) /
                   static_cast<double>(steps));
    single.push_back(
        seconds_of([&] {
          balance.advance_in_stages(now, {times, step, amounts, totals}, scheme_stages, false, before, last);
        }) /
        static_cast<double>(steps));
    now.swap(last);
    hand.push_back(seconds_of([&] {
                     for (std::size_t s = 0; s < steps; ++s) {
                       bench::hand_tuned_rk4(first, second, one.data(), two.data(), side, 0.1, threads);
                       std::swap(first, second);
                     }
                   }) /
                   static_cast<double>(steps));
    state.SetIterationTime(ours.back());
  }
  Real apart = 0;
  for (std::size_t n = 0; n < now.size(); ++n) apart = std::max(apart, std::abs(now[n] - first[n]));
  state.counters["speed/hand-tuned"] = median(hand) / median(ours);
  state.counters["stage by stage/hand-tuned"] = median(hand) / median(single);
  state.counters["steps a pass"] = static_cast<double>(steps);
  state.counters["largest difference"] = apart;
  bench::row("rk4, " + std::to_string(side) + "^2, constant, " + std::to_string(4 * steps) + " stages a pass",
             "speed over that of the hand-tuned loops, one stage at a time", median(hand) / median(ours));
}
BENCHMARK(tiles_of_stages)->UseManualTime()->Iterations(bench::at_size(7, 1))->Unit(benchmark::kMillisecond);

const Index side_of_plan = bench::at_size<Index>(4096, 40), side_of_block = bench::at_size<Index>(384, 12);

#define WILLIWAW_TILES(name, ...)                   \
  BENCHMARK_CAPTURE(tiles, name, Work{__VA_ARGS__}) \
      ->UseManualTime()                             \
      ->Iterations(bench::at_size(7, 1))            \
      ->Unit(benchmark::kMillisecond)

WILLIWAW_TILES(explicit_plan_constant, 2, side_of_plan, false, false);
WILLIWAW_TILES(explicit_plan_varying, 2, side_of_plan, true, false);
WILLIWAW_TILES(explicit_block_constant, 3, side_of_block, false, false);
WILLIWAW_TILES(explicit_block_varying, 3, side_of_block, true, false);
WILLIWAW_TILES(leapfrog_plan_constant, 2, side_of_plan, false, true);
WILLIWAW_TILES(leapfrog_plan_varying, 2, side_of_plan, true, true);
WILLIWAW_TILES(leapfrog_block_constant, 3, side_of_block, false, true);

#undef WILLIWAW_TILES

}  // namespace

BENCHMARK_MAIN();
