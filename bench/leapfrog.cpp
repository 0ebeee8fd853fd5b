// Leapfrog of 4096 x 4096 cells and of 384 x 384 x 384, two threads, as a ratio to a
// loop tuned by hand for the same data, interleaved in one run. Energies, extremes and the budget are counted
// by ours and not by the other.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <vector>

#include "memory.hpp"
#include "timing.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;

constexpr int threads = 2;

Problem basin(int dimension, Index side, bool varying) {
  std::vector<Axis> axes;
  for (int a = 0; a < dimension; ++a)
    axes.push_back(Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1, side, Unknowns::cells));
  const Function speed = varying ? Function([](Point p) { return 1 + 0.3 * p.x * p.y; }) : Function(1.0);
  Problem problem(Grid(std::move(axes)), wave(speed));
  problem.initial = [](Point p) {
    return std::exp(-50 * ((p.x - 0.5) * (p.x - 0.5) + (p.y - 0.4) * (p.y - 0.4)));
  };
  problem.default_boundary(free_boundary());
  return problem;
}

void leapfrog(benchmark::State& state, int dimension, Index side, bool varying) {
  ProblemBalance balance(basin(dimension, side, varying), {threads});
  SecondOrderDynamics& dynamics = balance.dynamics();
  State now = balance.initial_state(), rate, before;
  const Real h = 1.0 / static_cast<Real>(side), step = 0.4 * h;
  dynamics.initial_rate(rate);
  dynamics.prepare_leapfrog(now, rate, 0, step, nullptr, nullptr, before);
  rate = State();
  Ledger amounts(balance.lines().size());
  bench::Array a(now.size()), b(now.size());
  std::copy(now.begin(), now.end(), a.data());
  std::copy(before.begin(), before.end(), b.data());
  const Real square = step * step / (h * h);
  const auto conductances = balance.conductances(0);
  const Conductances& c = *conductances;
  double volume = 1;
  for (int d = 0; d < dimension; ++d) volume *= h;
  std::vector<double> ours, hand, copied;
  double *first = a.data(), *second = b.data();
  for (auto _ : state) {
    ours.push_back(
        seconds_of([&] { dynamics.leapfrog_step(now, 0, step, before, amounts, nullptr, nullptr); }));
    now.swap(before);
    hand.push_back(seconds_of([&] {
      if (varying)
        bench::hand_tuned_leapfrog(first, second, side, dimension == 3 ? side : 1, c.faces(0).data(),
                                   c.faces(1).data(), dimension == 3 ? c.faces(2).data() : nullptr,
                                   step * step / volume, threads);
      else
        bench::hand_tuned_leapfrog(first, second, side, dimension == 3 ? side : 1, square, threads);
    }));
    std::swap(first, second);
    benchmark::DoNotOptimize(second);
    state.SetIterationTime(ours.back());
  }
  Real apart = 0;
  for (std::size_t n = 0; n < now.size(); ++n) apart = std::max(apart, std::abs(now[n] - first[n]));
  state.counters["speed/hand-tuned"] = median(hand) / median(ours);
  bench::row("leapfrog, " + std::to_string(side) + "^" + std::to_string(dimension) +
                 (varying ? ", varying" : ", constant"),
             "speed over that of the hand-tuned loop", median(hand) / median(ours));
  state.counters["largest difference"] = apart;
}

BENCHMARK_CAPTURE(leapfrog, plan_constant, 2, bench::at_size<Index>(4096, 40), false)
    ->UseManualTime()
    ->Iterations(bench::at_size(21, 1))
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(leapfrog, plan_varying, 2, bench::at_size<Index>(4096, 40), true)
    ->UseManualTime()
    ->Iterations(bench::at_size(21, 1))
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(leapfrog, block_constant, 3, bench::at_size<Index>(384, 12), false)
    ->UseManualTime()
    ->Iterations(bench::at_size(11, 1))
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(leapfrog, block_varying, 3, bench::at_size<Index>(384, 12), true)
    ->UseManualTime()
    ->Iterations(bench::at_size(11, 1))
    ->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
