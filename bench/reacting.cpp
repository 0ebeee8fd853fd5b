// The explicit step of two unknowns that diffuse and react on 1024 x 1024 cells, two threads, as a ratio to a
// loop written by hand, interleaved in one run; reactions by formulas as a case gives them. Budget and guard
// sums are on.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <vector>

#include "memory.hpp"
#include "timing.hpp"
#include "williwaw/casefile/formula.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;

const Index side = bench::at_size<Index>(1024, 24);
constexpr int threads = 2;
constexpr Real a = 0.1, b = 0.9;

Problem member(const std::string& name, Real diffusivity, Real start) {
  const Grid grid(
      {Axis::uniform("x", 0, 1, side, Unknowns::cells), Axis::uniform("y", 0, 1, side, Unknowns::cells)});
  Equation e = diffusion(diffusivity);
  e.unknown = name;
  Problem problem(grid, e);
  problem.initial = [start](Point p) { return start + 0.01 * std::sin(40 * p.x + 30 * p.y); };
  problem.default_boundary(insulated());
  return problem;
}

void reacting(benchmark::State& state, bool compiled) {
  const casefile::Constants constants{{"a", a}, {"b", b}};
  const std::vector<std::string> names{"u", "v"};
  const SystemReaction by_formulas =
      casefile::system_reaction_of(names, {casefile::read_formula("a - u + u^2*v", constants, names),
                                           casefile::read_formula("b - u^2*v", constants, names)});
  const SystemReaction by_values = reaction_by_values<2>([](const std::array<Real, 2>& y) {
    const Real made = y[0] * y[0] * y[1];
    return std::array<Real, 2>{a - y[0] + made, b - made};
  });
  const Real of_u = 1e-6, of_v = 4e-5, spacing = 1 / static_cast<Real>(side);
  ProblemBalance balance(
      System{{member("u", of_u, 1), member("v", of_v, 0.9)}, compiled ? by_values : by_formulas}, {threads});
  State y = balance.initial_state(), next(y.size());
  Ledger amounts(balance.lines().size());
  const Real step = 0.2 * spacing * spacing / of_v;
  const auto count = static_cast<std::size_t>(side * side);
  bench::Array u(count), v(count), next_u(count), next_v(count);
  std::copy(y.begin(), y.begin() + static_cast<std::ptrdiff_t>(count), u.data());
  std::copy(y.begin() + static_cast<std::ptrdiff_t>(count), y.end(), v.data());
  std::vector<double> ours, hand;
  for (auto _ : state) {
    ours.push_back(seconds_of([&] { balance.advance(y, 0, step, next, amounts); }));
    y.swap(next);
    hand.push_back(seconds_of([&] {
      bench::hand_reacting_step(u.data(), v.data(), next_u.data(), next_v.data(), side,
                                of_u * step / (spacing * spacing), of_v * step / (spacing * spacing), a, b,
                                step, threads);
    }));
    benchmark::DoNotOptimize(next_u.data());
    state.SetIterationTime(ours.back());
  }
  state.counters["speed/by hand"] = median(hand) / median(ours);
  bench::row(std::string("two reacting unknowns, explicit, ") + std::to_string(side) + "^2, " +
                 (compiled ? "a function" : "formulas"),
             "speed over that of a loop by hand", median(hand) / median(ours));
}

BENCHMARK_CAPTURE(reacting, formulas, false)
    ->UseManualTime()
    ->Iterations(bench::at_size(201, 1))
    ->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(reacting, function, true)
    ->UseManualTime()
    ->Iterations(bench::at_size(201, 1))
    ->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
