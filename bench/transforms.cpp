// A steady plan of one material by transforms, from the problem to the field, beside FFTW's own four
// transforms of as many values; and a source formula of place and time beside a loop by hand with the same
// functions.
#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <vector>

#include "problems.hpp"
#include "timing.hpp"
#include "williwaw/casefile/formula.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;
using bench::square;

constexpr int threads = 2;
const int repeats = bench::at_size(15, 1);

void by_transforms() {
  const Index side = bench::at_size<Index>(511, 31);
  Problem problem(square(side), diffusion(1.0, 1.0, [](Point p) { return p.x * p.y; }));
  problem.default_boundary(dirichlet(0.0));
  const int n = static_cast<int>(side);
  std::vector<double> values(static_cast<std::size_t>(side * side), 1.0);
  std::vector<fftw_plan> plans;
  for (const fftw_r2r_kind kind : {FFTW_RODFT10, FFTW_RODFT01})
    for (const int stride : {1, n}) {
      const fftw_iodim along{n, stride, stride}, across{n, n + 1 - stride, n + 1 - stride};
      plans.push_back(
          fftw_plan_guru_r2r(1, &along, 1, &across, values.data(), values.data(), &kind, FFTW_ESTIMATE));
    }
  std::vector<double> whole, own;
  std::string solver;
  for (int k = 0; k < repeats; ++k) {
    whole.push_back(seconds_of([&] {
      ProblemBalance balance(problem, {threads});
      State y = balance.initial_state();
      solver = solve_steady(balance, y, 0, {.threads = threads}).solver;
    }));
    std::ranges::fill(values, 1.0);
    own.push_back(seconds_of([&] {
      for (const fftw_plan plan : plans) fftw_execute(plan);
    }));
  }
  for (const fftw_plan plan : plans) fftw_destroy_plan(plan);
  const double ratio = median(whole) / median(own);
  std::printf("steady, %td x %td, constant, by %s: %.2f times FFTW's four transforms\n", side, side,
              solver.c_str(), ratio);
  bench::row("steady, " + std::to_string(side) + "^2, constant, everything included, by " + solver,
             "time over that of FFTW's own four transforms", ratio);
}

void source_formula() {
  const Index side = bench::at_size<Index>(2048, 40);
  const Function source =
      casefile::compile("exp(-30*((x-0.5)^2+(y-0.4)^2))*sin(7*t+3*x)", {}, {"x", "y", "t"});
  std::vector<double> places(static_cast<std::size_t>(side));
  for (Index i = 0; i < side; ++i)
    places[static_cast<std::size_t>(i)] = (static_cast<double>(i) + 0.5) / static_cast<double>(side);
  std::vector<double> ours_values(static_cast<std::size_t>(side * side)), by_hand(ours_values.size());
  std::vector<double> ours, hand;
  double time = 0;
  for (int k = 0; k < bench::at_size(7, 1); ++k) {
    time += 0.01;
    ours.push_back(seconds_of([&] {
#pragma omp parallel num_threads(threads)
      {
        Points line(side);
        line.x = places;
#pragma omp for schedule(static)
        for (Index j = 0; j < side; ++j) {
          std::ranges::fill(line.y, places[static_cast<std::size_t>(j)]);
          source.evaluate(line, time,
                          std::span(ours_values)
                              .subspan(static_cast<std::size_t>(side * j), static_cast<std::size_t>(side)));
        }
      }
    }));
    hand.push_back(seconds_of([&] {
#pragma omp parallel for schedule(static) num_threads(threads)
      for (Index j = 0; j < side; ++j)
        for (Index i = 0; i < side; ++i) {
          const double x = places[static_cast<std::size_t>(i)], y = places[static_cast<std::size_t>(j)];
          by_hand[static_cast<std::size_t>(i + side * j)] =
              std::exp(-30 * ((x - 0.5) * (x - 0.5) + (y - 0.4) * (y - 0.4))) * std::sin(7 * time + 3 * x);
        }
    }));
  }
  double apart = 0;
  for (std::size_t n = 0; n < by_hand.size(); ++n)
    apart = std::max(apart, std::abs(by_hand[n] - ours_values[n]));
  const double ratio = median(hand) / median(ours);
  std::printf("a source formula in x, y and t, %td x %td: %.2f of the speed of a loop by hand, %.1e apart\n",
              side, side, ratio, apart);
  bench::row("a source formula in x, y and t, " + std::to_string(side) + "^2, an evaluation",
             "speed over that of a loop by hand with the same functions", ratio);
}

}  // namespace

int main() {
  by_transforms();
  source_formula();
}
