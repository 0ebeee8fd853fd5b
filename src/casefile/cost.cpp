// What a run will cost, from steps that are taken and timed.
#include <algorithm>
#include <chrono>
#include <cmath>

#include "williwaw/casefile/check.hpp"

namespace williwaw::casefile {

namespace {

using Clock = std::chrono::steady_clock;

constexpr Real timed_unknowns = 1e5;  // that are stepped
constexpr Real timed_seconds = 0.5;
constexpr Index timed_steps = 200;

Real seconds_since(Clock::time_point start) {
  return std::chrono::duration<Real>(Clock::now() - start).count();
}

}  // namespace

std::optional<Real> measured_seconds(const Case& given, const Prepared& prepared) {
  if (given.steady || prepared.plan.adaptive || prepared.steps == 0) return std::nullopt;
  // A coarser grid where the case's own is too large; its step grows with the spacing, which costs the same.
  const int dimension = given.problem.grid().rank();
  const Real count = static_cast<Real>(given.problem.grid().count());
  Index coarsen = 1;
  while (count / std::pow(static_cast<Real>(coarsen), dimension) > timed_unknowns) ++coarsen;
  std::optional<Case> coarse;
  if (coarsen > 1) {
    try {
      coarse = read_case_text(given.text, given.file, {},
                              {.refinement = {1, coarsen, 1}, .variant = {}, .stage = 0});
    } catch (const InputError&) {
      return std::nullopt;  // a grid that cannot be coarsened
    }
  }
  const Case& timed = coarse ? *coarse : given;
  DiffusionBalance balance(timed.problem, {prepared.plan.threads});
  const Real start = prepared.plan.start, step = prepared.longest_step * static_cast<Real>(coarsen);
  State y = balance.initial_state();
  balance.pin(start, y);
  const auto stepper =
      make_stepper(balance, prepared.plan.scheme, {prepared.plan.solver, prepared.plan.threads});
  Ledger amounts(balance.lines().size());
  const Real scale = count / static_cast<Real>(timed.problem.grid().count());
  const auto first_start = Clock::now();
  try {
    stepper->begin(y, start, step);
    stepper->advance(y, start, step, amounts);
    const Real first = seconds_since(first_start);
    const auto rest_start = Clock::now();
    Index taken = 0;
    std::vector<Real> lengths;
    const Index wanted = std::min(timed_steps, prepared.steps - 1);
    while (taken < wanted && seconds_since(rest_start) < timed_seconds) {
      const auto one_start = Clock::now();
      stepper->advance(y, start + static_cast<Real>(taken + 1) * step, step, amounts);
      lengths.push_back(seconds_since(one_start));
      ++taken;
    }
    // The median: machines are shared, and threads take a while to wake up.
    std::ranges::nth_element(lengths, lengths.begin() + static_cast<std::ptrdiff_t>(lengths.size() / 2));
    const Real each = lengths.empty() ? first : lengths[lengths.size() / 2];
    // A row of the series: the flows of its time, and the fields that probes are read from.
    const auto row_start = Clock::now();
    if (!balance.motion() && !balance.carrier() && taken > 0) {
      State flow(y.size());
      balance.rate(y, start, Parts::all(), flow, amounts);
    }
    balance.field(y, start);
    const Real row = seconds_since(row_start);
    const Real length = prepared.plan.until - start;
    const Real rows = prepared.plan.series_every > 0 ? length / prepared.plan.series_every
                                                     : static_cast<Real>(prepared.steps);
    return scale * (first + static_cast<Real>(prepared.steps - 1) * each + (rows + 1) * row);
  } catch (const InputError&) {
    return std::nullopt;
  } catch (const SolverError&) {
    return std::nullopt;
  }
}

}  // namespace williwaw::casefile
