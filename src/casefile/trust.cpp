#include "williwaw/casefile/trust.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "williwaw/verify/ladder.hpp"
#include "wording.hpp"

namespace williwaw::casefile {

namespace {

constexpr Real safety = 1.5;

// Digits up to the first two of the uncertainty: 12.34 ± 0.21.
std::string with_uncertainty(Real value, Real uncertainty, const std::string& unit) {
  if (uncertainty <= 1e-9 * std::abs(value)) return readable(value, unit) + ", exact up to round-off";
  int digits = 6;
  if (uncertainty > 0) digits = std::clamp(1 - static_cast<int>(std::floor(std::log10(uncertainty))), 0, 12);
  return fmt::format("{:.{}f} ± {:.2g}{}", value, digits, uncertainty, unit.empty() ? "" : " " + unit);
}

// How many times wider the coarse companion's intervals are, on the average of the axes.
Real ratio_of(const Grid& fine, const Grid& coarse) {
  Real sum = 0;
  for (int a = 0; a < fine.rank(); ++a)
    sum += static_cast<Real>(fine.axis(a).intervals()) / static_cast<Real>(coarse.axis(a).intervals());
  return sum / fine.rank();
}

std::optional<Answer> companion(const std::filesystem::path& file, const std::vector<std::string>& overrides,
                                const Execution& execution, const Reading& reading, std::string& why_not,
                                std::optional<Grid>& grid) {
  try {
    const Case given = read_case(file, overrides, reading);
    grid = given.problem.grid();
    Answer a = answer(given, execution);
    if (a.reached) return a;
    why_not = a.trouble;
  } catch (const InputError& e) {
    why_not = e.what();
  } catch (const SolverError& e) {
    why_not = e.what();
  }
  return std::nullopt;
}

}  // namespace

Trust assess(const std::filesystem::path& file, const std::vector<std::string>& overrides,
             Execution execution, const Reading& reading) {
  const Case given = read_case(file, overrides, reading);
  const Answer main = answer(given, execution);
  if (!main.reached) throw InputError(file.string() + ": nothing to trust: " + main.trouble);
  Trust result;
  result.first_stage_only = !given.stages.empty();
  for (const Headline& h : main.headlines) result.numbers.push_back({h, 0, 0});

  std::optional<Grid> grid;
  Reading other = reading;
  other.refinement = {1, 2, given.step.of_limit ? 4.0 : 1.0};
  if (const auto coarse = companion(file, overrides, execution, other, result.without_space, grid)) {
    const Real ratio = ratio_of(given.problem.grid(), *grid);
    for (std::size_t n = 0; n < result.numbers.size(); ++n)
      result.numbers[n].from_space =
          verify::uncertainty_of_two(coarse->headlines[n].value - main.headlines[n].value, ratio, 2, safety);
    result.seconds += coarse->seconds;
  }
  if (given.steady) return result;
  other.refinement = {1, 1, given.plan.adaptive ? 10.0 : 2.0};
  if (const auto half = companion(file, overrides, execution, other, result.without_time, grid)) {
    // The finer one is the companion here: the run itself is off by what both differ and a little more.
    // Errors of adaptive steps go with the tolerance.
    const Real shrinks = given.plan.adaptive ? 10 : std::pow(2, given.plan.scheme.order);
    for (std::size_t n = 0; n < result.numbers.size(); ++n)
      result.numbers[n].from_time =
          safety * std::abs(half->headlines[n].value - main.headlines[n].value) * shrinks / (shrinks - 1);
    result.seconds += half->seconds;
  }
  return result;
}

Report trust_report(const Trust& trust) {
  Report report;
  report.section("how far to trust it");
  Real space = 0, time = 0;
  for (const Trusted& t : trust.numbers) {
    const Real all = t.uncertainty();
    const std::string share = all > 1e-9 * std::abs(t.headline.value)
                                  ? fmt::format("  ({:.0f} % from the grid, {:.0f} % from the step)",
                                                100 * t.from_space / all, 100 * t.from_time / all)
                                  : "";
    report.row(t.headline.name, with_uncertainty(t.headline.value, all, t.headline.unit) + share, number(all),
               t.headline.unit);
    if (all > 1e-9 * std::abs(t.headline.value)) {
      space += t.from_space / all;
      time += t.from_time / all;
    }
  }
  if (!trust.without_space.empty())
    report.note("the grid's part is missing, its coarse companion did not run: " + trust.without_space);
  if (!trust.without_time.empty())
    report.note("the step's part is missing, its companion with half the step did not run: " +
                trust.without_time);
  if (trust.without_space.empty() && trust.without_time.empty() && space + time > 0)
    report.note(space > 2 * time ? "most of it comes from the grid: refine the grid first"
                : time > 2 * space
                    ? "most of it comes from the step: take shorter steps, or a scheme of higher order"
                    : "grid and step share it: refine both");
  if (trust.first_stage_only) report.note("these are the numbers of the first stage alone");
  report.note(fmt::format("companions: half the intervals, half the step; they took {}",
                          readable_wait(trust.seconds)));
  return report;
}

}  // namespace williwaw::casefile
