#include "williwaw/study/trust.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "study/wording.hpp"
#include "williwaw/verify/refinement.hpp"

namespace williwaw::study {

namespace {

constexpr Real round_off = 3e-13;
// Coarser grids than this show nothing of a solution.
constexpr Index fewest_intervals = 3;

// Digits up to the first two of the uncertainty: 12.34 ± 0.21.
std::string with_uncertainty(Real value, Real uncertainty, const std::string& unit) {
  if (uncertainty <= 1e-9 * std::abs(value)) return readable(value, unit) + " (exact up to round-off)";
  const std::string behind = unit.empty() ? "" : " " + unit;
  if (uncertainty >= 1e7) return fmt::format("{:.6g} ± {:.2g}{}", value, uncertainty, behind);
  const int digits = 1 - static_cast<int>(std::floor(std::log10(uncertainty)));
  const Real last = std::pow(10, -digits);
  if (digits > 0)
    return fmt::format("{:.{}f} ± {:.{}f}{}", value, std::min(digits, 12), uncertainty, std::min(digits, 12),
                       behind);
  return fmt::format("{:.0f} ± {:.0f}{}", last * std::round(value / last),
                     last * std::round(uncertainty / last), behind);
}

// How many times wider the intervals of a coarser grid are, axis by axis.
std::vector<Real> ratios_of(const Grid& fine, const Grid& coarse) {
  std::vector<Real> all;
  for (int a = 0; a < fine.dimension(); ++a)
    all.push_back(static_cast<Real>(fine.axis(a).intervals()) /
                  static_cast<Real>(coarse.axis(a).intervals()));
  return all;
}

// One run of the refinement study.
struct Level {
  Real ratio = 1;  ///< of its spacing or step to that of the finest
  Answer answer;
};

class Companions {
 public:
  Companions(std::filesystem::path file, std::vector<std::string> overrides, Execution execution,
             Reading reading, const Case& main, const Answer& answered)
      : file_(std::move(file)),
        overrides_(std::move(overrides)),
        execution_(execution),
        reading_(std::move(reading)),
        main_(main),
        answered_(answered) {}

  /// With `grid` of `coarsen` intervals, and steps that go with this power of the spacing.
  bool coarser(Index grid, Index coarsen, Real step_power, std::vector<Level>& levels, std::string& why_not) {
    Reading other = reading_;
    // The tiny step keeps a fraction of the limit what it is.
    other.refinement = {grid, coarsen, 1e-12};
    return tried(why_not, [&] {
      Case given = open_case(file_, overrides_, other);
      const auto ratios = ratios_of(main_.grid(), given.grid());
      for (int a = 0; a < given.problem.grid().dimension(); ++a)
        if (given.problem.grid().axis(a).intervals() < fewest_intervals)
          throw InputError("too few intervals to leave some out");
      Real mean = 0;
      for (const Real r : ratios) mean += r / static_cast<Real>(ratios.size());
      if (!main_.steady) {
        const bool of_limit = (given.step.of_limit || given.step.courant) && step_power > 0;
        if (!of_limit) with_step(given, std::pow(*std::ranges::min_element(ratios), step_power));
        given.plan.adaptive = main_.plan.adaptive;
      }
      solve(given, mean, levels);
    });
  }

  /// On the same grid with steps, or tolerances of adaptive steps, so many times as large.
  bool with_steps(Real factor, Real ratio, std::vector<Level>& levels, std::string& why_not) {
    return tried(why_not, [&] {
      Case given = open_case(file_, overrides_, reading_);
      if (given.plan.adaptive)
        given.plan.adaptive->value *= factor;
      else
        with_step(given, factor);
      solve(given, ratio, levels);
    });
  }

  Real seconds() const { return seconds_; }

 private:
  template <class Work>
  bool tried(std::string& why_not, const Work& work) {
    const auto start = std::chrono::steady_clock::now();
    const auto done = [&] {
      seconds_ += std::chrono::duration<Real>(std::chrono::steady_clock::now() - start).count();
    };
    try {
      work();
      done();
      return true;
    } catch (const InputError& e) {
      why_not = e.what();
    } catch (const SolverError& e) {
      why_not = e.what();
    }
    done();
    return false;
  }

  // Steps of a length of their own, which need to meet the end only.
  void with_step(Case& given, Real factor) const {
    given.step = {false, false, answered_.longest_step * factor, {}};
    given.plan.trim = true;
  }

  void solve(Case& given, Real ratio, std::vector<Level>& levels) {
    given.plan.records.clear();
    given.record_every = 0;
    Level level{ratio, answer(given, execution_)};
    if (!level.answer.reached) throw InputError(level.answer.trouble);
    levels.push_back(std::move(level));
  }

  std::filesystem::path file_;
  std::vector<std::string> overrides_;
  Execution execution_;
  Reading reading_;
  const Case& main_;
  const Answer& answered_;
  Real seconds_ = 0;
};

// One headline over the levels, the finest first.
struct Values {
  std::vector<Real> values, ratios;

  Values(std::span<const Level> levels, std::size_t headline) {
    for (const Level& l : levels) {
      values.push_back(l.answer.headlines[headline].smooth);
      ratios.push_back(l.ratio);
    }
  }
};

Real floor_of(const Case& given, const Answer& answer, const Headline& h) {
  Real size = std::abs(h.value);
  // A temperature's zero is not where its size is counted from.
  if (const store::Scale& scale = given.unknown(h.unknown).value; h.unit == scale.unit)
    size = std::max(size, std::abs(scale.shown_difference(answer.size(h.unknown))));
  return size * (given.steady ? std::max(round_off, given.steady->tolerance) : round_off);
}

std::vector<Level> beginning_with(const Answer& main) {
  std::vector<Level> levels(1);
  levels[0].answer = main;
  return levels;
}

ErrorPart part_of(const verify::LevelSpread& spread) {
  return {-spread.correction, spread.uncertainty - std::abs(spread.correction)};
}

// Levels whose ratio is not above this, the finest first.
Values values_up_to(const std::vector<Level>& levels, Real ratio, std::size_t headline) {
  Values v(levels, headline);
  while (v.ratios.back() > ratio) {
    v.ratios.pop_back();
    v.values.pop_back();
  }
  return v;
}

// The refinement study of grids: halved, then quartered; where outlines fall differently on each grid, or
// differences are uneven, more levels between the first two.
void study_grids(const Case& given, const Answer& main, Companions& companions, Real step_power, Real theory,
                 ErrorPart Trusted::*part, Trust& result) {
  std::vector<Level> levels = beginning_with(main);
  if (!companions.coarser(1, 2, step_power, levels, result.without_space)) return;
  const Real half = levels.back().ratio;
  result.companions.push_back("1/2 of the intervals");
  std::string ignored;
  for (const Index coarsen : {4, 3})
    if (companions.coarser(1, coarsen, step_power, levels, ignored)) {
      result.companions.push_back(fmt::format("1/{}", coarsen));
      break;
    }
  std::vector<verify::LevelSpread> spreads;
  bool uneven = main.falls_unevenly;
  for (std::size_t h = 0; h < result.numbers.size(); ++h) {
    const Values v(levels, h);
    spreads.push_back(
        verify::spread_of(v.values, v.ratios, theory, floor_of(given, main, main.headlines[h])));
    uneven = uneven || !spreads.back().even;
  }
  // Eighths, so that what lies on faces of this grid and of the halved ones stays on faces, as a rule.
  if (uneven)
    for (const auto& [grid, coarsen] : {std::pair<Index, Index>{7, 8}, {3, 4}, {5, 8}})
      if (companions.coarser(grid, coarsen, step_power, levels, ignored))
        result.companions.push_back(fmt::format("{}/{}", grid, coarsen));
  std::ranges::stable_sort(levels, {}, &Level::ratio);
  for (std::size_t h = 0; h < result.numbers.size(); ++h) {
    Trusted& t = result.numbers[h];
    const Values v(levels, h);
    if (!main.falls_unevenly && !spreads[h].shrinks && verify::grows_like_logarithm(v.values, v.ratios)) {
      if (t.not_known.empty())
        t.not_known =
            fmt::format("it changes by {:.3g} with each halving of the spacing, from grid to grid alike",
                        (v.values.front() - v.values.back()) / std::log2(v.ratios.back()));
      continue;
    }
    const Values near = values_up_to(levels, 1.01 * half, h);
    if (near.values.size() >= 4 && (main.falls_unevenly || !spreads[h].even))
      spreads[h] = verify::spread_about_fit(near.values, near.ratios, theory,
                                            floor_of(given, main, main.headlines[h]));
    t.*part = part_of(spreads[h]);
  }
}

// Half and twice the step. Errors of adaptive steps go with a power of the tolerance.
void study_steps(const Case& given, const Answer& main, Companions& companions, Trust& result) {
  const bool adaptive = given.plan.adaptive.has_value();
  const Real factor = adaptive ? 10 : 2, order = given.plan.scheme.order;
  const Real theory = adaptive ? order / (order + 1) : order;
  std::vector<Level> levels;
  if (!companions.with_steps(1 / factor, 1, levels, result.without_time)) return;
  levels.push_back(beginning_with(main)[0]);
  levels.back().ratio = factor;
  std::string ignored;
  const bool longer = companions.with_steps(factor, factor * factor, levels, ignored);
  result.companions.push_back(fmt::format("1/{} {}{}", factor, adaptive ? "of the tolerance" : "of the step",
                                          longer ? fmt::format(", {} times it", factor) : ""));
  for (std::size_t h = 0; h < result.numbers.size(); ++h) {
    const Values v(levels, h);
    const auto spread =
        verify::spread_of(v.values, v.ratios, theory, floor_of(given, main, main.headlines[h]));
    // The finest level is a companion here: the run itself is off by what it differs from that besides.
    ErrorPart& time = result.numbers[h].time = part_of(spread);
    time.known += v.values[1] - v.values[0];
  }
}

std::string fractions(const Trusted& t) {
  const Real all = t.uncertainty();
  if (t.time.size() == 0 || all <= 1e-9 * std::abs(t.headline.value)) return "";
  const Real space = t.space.size() + t.sampling.size(), sum = space + t.time.size();
  return fmt::format("  ({:.0f} % from the grid, {:.0f} % from the step)", 100 * space / sum,
                     100 * t.time.size() / sum);
}

// Which of grid and step most of the uncertainty comes from, over all numbers.
std::string advice(const Trust& trust) {
  Real space = 0, time = 0;
  for (const Trusted& t : trust.numbers)
    if (const Real all = t.uncertainty();
        t.not_known.empty() && t.both.size() == 0 && all > 1e-9 * std::abs(t.headline.value)) {
      space += (t.space.size() + t.sampling.size()) / all;
      time += t.time.size() / all;
    }
  if (!trust.without_space.empty() || !trust.without_time.empty() || time == 0) return "";
  return space > 2 * time   ? "grid error dominates: refine the grid first"
         : time > 2 * space ? "step error dominates: shorter steps or a scheme of higher order"
                            : "grid and step errors comparable: refine both";
}

}  // namespace

Trust assess(const std::filesystem::path& file, const std::vector<std::string>& overrides,
             Execution execution, const Reading& reading) {
  const Case given = open_case(file, overrides, reading);
  const Answer main = answer(given, execution);
  if (!main.reached) throw InputError(file.string() + ": no result: " + main.trouble);
  Trust result;
  result.first_stage_only = !given.stages.empty();
  for (const Headline& h : main.headlines) {
    Trusted& t = result.numbers.emplace_back();
    t.headline = h;
    t.sampling.known = h.value - h.smooth;
    t.not_known = h.without_limit;
  }
  Companions companions(file, overrides, execution, reading, given, main);
  const bool by_semi_lagrangian = semi_lagrangian(given.plan.scheme);
  const bool together =
      !given.steady && !given.plan.adaptive && (is_explicit(given.plan.scheme) || by_semi_lagrangian);
  if (together) {
    const bool spreads_only =
        !given.problem.equation().advection && !given.problem.equation().second_order && !given.flux;
    const Real power = spreads_only ? 2 : 1;
    study_grids(given, main, companions, power, order_of_both(given, power), &Trusted::both, result);
  } else {
    study_grids(given, main, companions, 0, order_in_space(given), &Trusted::space, result);
    if (!given.steady) study_steps(given, main, companions, result);
  }
  result.seconds = companions.seconds();
  return result;
}

Report trust_report(const Trust& trust) {
  Report report;
  report.section("uncertainties");
  for (const Trusted& t : trust.numbers) {
    const Headline& h = t.headline;
    if (t.not_known.empty())
      report.row(h.name, with_uncertainty(h.value, t.uncertainty(), h.unit) + fractions(t),
                 number(t.uncertainty()), h.unit);
    else
      report.row(h.name, readable(h.value, h.unit) + " (no uncertainty: limit not known)",
                 Report::Data(t.not_known));
  }
  for (const Trusted& t : trust.numbers)
    if (!t.not_known.empty()) report.note(t.headline.name + ": " + t.not_known);
  if (!trust.without_space.empty())
    report.note("grid error not known, the coarser companion run failed: " + trust.without_space);
  if (!trust.without_time.empty())
    report.note("step error not known, the companion run with half the step failed: " + trust.without_time);
  if (const std::string text = advice(trust); !text.empty()) report.note(text);
  if (trust.first_stage_only) report.note("first stage only");
  std::string companions;
  for (const auto& c : trust.companions) companions += (companions.empty() ? "" : ", ") + c;
  if (!companions.empty())
    report.note(fmt::format("companion runs: {} ({})", companions, readable_wait(trust.seconds)));
  return report;
}

}  // namespace williwaw::study
