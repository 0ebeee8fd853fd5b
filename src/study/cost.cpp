// What a run will cost, from steps that are taken and timed.
#include "williwaw/study/cost.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "study/run/field_recorder.hpp"
#include "williwaw/study/report.hpp"

namespace williwaw::study {

namespace {

using Clock = std::chrono::steady_clock;

constexpr Real timed_unknowns = 1e5;  // that are stepped
constexpr Real timed_seconds = 0.03;
constexpr Index timed_steps = 200;

Real seconds_since(Clock::time_point start) {
  return std::chrono::duration<Real>(Clock::now() - start).count();
}

// Unknowns times steps that take a day where an unknown takes 10 µs, slower than any that were measured.
constexpr Real worth_timing = 8.6e9;

// Headers and attributes of fields.nc, which also holds the case.
constexpr Real bytes_of_headers = 1e5;
// Digits, point, exponent and comma of a number of the series.
constexpr Real bytes_of_number = 16;

std::filesystem::path nearest_existing(std::filesystem::path folder) {
  folder = std::filesystem::absolute(folder);
  while (!std::filesystem::exists(folder) && folder.has_relative_path()) folder = folder.parent_path();
  return folder;
}

}  // namespace

std::optional<Real> measured_seconds(const Case& given, const Prepared& prepared) {
  if (given.steady || prepared.plan.adaptive || prepared.steps == 0) return std::nullopt;
  // A coarser grid where the case's own is too large; its step grows with the spacing, which costs the same.
  const int dimension = given.problem.grid().dimension();
  const Real count = static_cast<Real>(given.problem.grid().count());
  Index coarsen = 1;
  while (count / std::pow(static_cast<Real>(coarsen), dimension) > timed_unknowns) ++coarsen;
  std::optional<Case> coarse;
  if (coarsen > 1) {
    try {
      coarse =
          open_case_text(given.text, given.file, {},
                         {.refinement = {1, coarsen, 1}, .variant = {}, .stage = 0, .sample = given.sample});
    } catch (const InputError&) {
      return std::nullopt;  // a grid that cannot be coarsened
    }
  }
  const Case& timed = coarse ? *coarse : given;
  const auto made =
      make_balance(timed.system(), {prepared.plan.threads, semi_lagrangian(prepared.plan.scheme)});
  Discretization& balance = *made;
  const Real start = prepared.plan.start, step = prepared.longest_step * static_cast<Real>(coarsen);
  State y = balance.initial_state();
  balance.prescribe(start, y);
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
    if (!balance.capabilities().second_order && !balance.capabilities().semi_lagrangian && taken > 0) {
      State flow(y.size());
      balance.rate(y, start, Parts::all(), flow, amounts);
    }
    for (std::size_t u = 0; u < balance.unknowns().size(); ++u) balance.field(y, start, u);
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

Real recorded_bytes(const Case& given, const Prepared& prepared) {
  const auto& plan = prepared.plan;
  const Real steps = static_cast<Real>(prepared.steps);
  Real records = 2;
  for (const auto& interval : prepared.intervals) records += interval.record ? 1 : 0;
  if (plan.record_every_steps > 0) records += steps / static_cast<Real>(plan.record_every_steps);
  const Real rows = plan.series_every > 0 ? (plan.until - plan.start) / plan.series_every : steps;
  const Real columns = 8 + static_cast<Real>(given.probes.size() + 2 * prepared.balance->lines().size());
  return bytes_of_headers +
         2 * records * 8 * static_cast<Real>(store::numbers_of_record(shape_of_records(given))) +
         rows * columns * bytes_of_number;
}

std::optional<std::string> too_costly(const Case& given, const Prepared& prepared,
                                      const std::vector<PlannedStage>& later,
                                      const std::filesystem::path& folder) {
  if (given.steady) return std::nullopt;
  Real work = 0, bytes = 0, steps = 0;
  const auto each = [&](const auto& visit) {
    visit(given, prepared);
    for (const auto& stage : later) visit(*stage.given, stage.prepared);
  };
  each([&](const Case& c, const Prepared& p) {
    steps += static_cast<Real>(p.steps);
    work += static_cast<Real>(p.steps) * static_cast<Real>(c.problem.grid().count());
    bytes += recorded_bytes(c, p);
  });
  const Real samples = static_cast<Real>(given.samples);
  work *= samples;
  bytes *= samples;
  std::error_code unknown;
  const auto space = std::filesystem::space(nearest_existing(folder), unknown);
  if (!unknown && bytes > static_cast<Real>(space.available))
    return fmt::format("records of {} are more than the {} that {} has left", readable_bytes(bytes),
                       readable_bytes(static_cast<Real>(space.available)), nearest_existing(folder).string());
  if (work < worth_timing) return std::nullopt;
  Real seconds = 0;
  each([&](const Case& c, const Prepared& p) { seconds += measured_seconds(c, p).value_or(0); });
  seconds *= samples;
  if (seconds <= longest_unasked) return std::nullopt;
  return fmt::format("{}{:.3g} steps of {:.3g} unknowns would take {}, more than one day",
                     given.samples > 1 ? fmt::format("{} samples of ", given.samples) : "", steps,
                     static_cast<Real>(given.grid().count()), readable_wait(seconds));
}

}  // namespace williwaw::study
