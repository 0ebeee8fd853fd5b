// The explicit step of 4096 x 4096 cells, two threads, as a ratio to a loop tuned by hand and to
// the memory's own speed, all interleaved in one run. Budget and guard sums are on, as in every run.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <cstdio>
#include <vector>

#include "memory.hpp"
#include "timing.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;

const Index side = bench::at_size<Index>(4096, 40);
constexpr int threads = 2;

Problem plan(bool varying) {
  const Grid grid(
      {Axis::uniform("x", 0, 1, side, Unknowns::cells), Axis::uniform("y", 0, 1, side, Unknowns::cells)});
  const Function conductivity =
      varying ? Function([](Point p) { return 1 + 0.5 * p.x * p.y; }) : Function(1.0);
  Problem problem(grid, diffusion(conductivity));
  problem.initial = [](Point p) { return p.x * (1 - p.y); };
  problem.boundary("west", dirichlet(1.0)).boundary("north", robin(3.0, 0.5)).default_boundary(insulated());
  return problem;
}

void explicit_step(benchmark::State& state, bool varying) {
  ProblemBalance balance(plan(varying), {threads});
  State y = balance.initial_state(), next(y.size());
  Ledger amounts(balance.lines().size());
  const Real step = 0.2 / (static_cast<Real>(side) * static_cast<Real>(side));
  bench::Array a(y.size()), b(y.size());
  std::copy(y.begin(), y.end(), a.data());
  std::vector<double> ours, hand, copied;
  for (auto _ : state) {
    ours.push_back(seconds_of([&] { balance.advance(y, 0, step, next, amounts); }));
    y.swap(next);
    hand.push_back(seconds_of([&] { bench::hand_tuned_step(a.data(), b.data(), side, 0.2, 0.2, threads); }));
    copied.push_back(seconds_of([&] { bench::copy(a, b, threads); }));
    benchmark::DoNotOptimize(b.data());
    state.SetIterationTime(ours.back());
  }
  const double values = static_cast<double>(side) * static_cast<double>(side);
  const double bandwidth = 24.0 * values / median(copied);
  state.counters["bandwidth GB/s"] = bandwidth / 1e9;
  state.counters["hand-tuned/bandwidth"] = 24.0 * values / median(hand) / bandwidth;
  state.counters["speed/hand-tuned"] = median(hand) / median(ours);
  state.counters["speed/bandwidth at 48 B"] = 48.0 * values / bandwidth / median(ours);
  const std::string work =
      "explicit step, " + std::to_string(side) + "^2, budget and guard's extremes counted, ";
  if (!varying) {
    bench::row("copying two vectors of " + std::to_string(side) + "^2 values", "GB/s, 24 B a value",
               bandwidth / 1e9);
    bench::row(work + "constant", "speed over that of the hand-tuned loop", median(hand) / median(ours));
  } else {
    bench::row(work + "varying conductances", "speed over that of memory at 48 B a cell",
               48.0 * values / bandwidth / median(ours));
  }
}

BENCHMARK_CAPTURE(explicit_step, constant, false)
    ->UseManualTime()
    ->Iterations(bench::at_size(31, 1))
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(explicit_step, varying, true)
    ->UseManualTime()
    ->Iterations(bench::at_size(31, 1))
    ->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
