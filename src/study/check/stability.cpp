// What `check` and `run` say of the step: its limits, what becomes of one that is too long, and why.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/wording.hpp"

namespace williwaw::study {

namespace {

using Standing = verify::Limit::Standing;

std::string standing_text(const Case& given, const verify::Limit& limit) {
  switch (limit.standing) {
    case Standing::sharp:
      return "sharp";
    case Standing::bracketed:
      return "sufficient; unstable from " + given.duration(limit.unstable_from) + " on";
    case Standing::bound:
      return "sufficient";
    case Standing::heuristic:
      break;
  }
  return "von Neumann, without boundaries";
}

// "0 to 1 m/s"
std::string values_text(const Case& given, const Range& values) {
  return readable(given.value.shown(values.lowest)) + " to " +
         readable(given.value.shown(values.highest), given.value.unit);
}

bool surely_unstable(const verify::Stability& s) {
  return s.limit.standing == Standing::sharp || s.step > s.limit.unstable_from;
}

void limit_row(const Case& given, const Prepared& prepared, const std::string& label,
               const verify::Limit& limit, Report& report) {
  const bool extrema = &limit == &prepared.stability.positivity;
  std::string text = limit.step != 0 ? given.duration(limit.step)
                     : extrema       ? "not known for any step"
                                     : "none: every step is unstable";
  if (std::isinf(limit.step)) text = "unlimited";
  if (limit.step == 0 && extrema) {
    report.row(label, text, Report::Data(std::string("not known")));
    return;
  }
  text += "  (" + standing_text(given, limit);
  if (limit.step > 0 && !std::isinf(limit.step) && prepared.longest_step > 0)
    text += fmt::format("; this step: {:.4g} of it", prepared.longest_step / limit.step);
  if (limit.where && !std::isinf(limit.step))
    text += "; at " + place_text(given, given.problem.grid(), *limit.where);
  report.row(label, text + ")", number(given.time.shown_difference(limit.step)), given.time.unit);
}

// What meeting the records took from a step, and which interval of records would leave it as it was asked
// for.
std::string trimmed_text(const Case& given, const Prepared& prepared) {
  const Real wanted = prepared.plan.step;
  for (const auto& s : prepared.intervals) {
    const Real length = s.to - s.from, taken = length / static_cast<Real>(s.steps);
    if (taken >= wanted * (1 - 1e-9)) continue;
    // A step at the border of stability is meant exactly; elsewhere a little less makes no difference.
    if (taken > 0.99 * wanted && given.step.value != 1)
      return fmt::format("; {:.2g} % less to meet the records", 100 * (1 - taken / wanted));
    const Real fewer = std::floor(length / wanted) * wanted, more = std::ceil(length / wanted) * wanted;
    return fmt::format("; shortened to {:.4g} of that to meet {} after {}; records every {}{} would keep it",
                       taken / wanted, s.to < prepared.plan.until ? "the record" : "the end",
                       given.duration(length), fewer > 0 ? given.duration(fewer) + " or " : "",
                       given.duration(more));
  }
  return "";
}

std::string this_step_text(const Case& given, const Prepared& prepared) {
  if (prepared.plan.adaptive) return "adaptive; error of a step at most " + given.step.adaptive_text;
  const std::string text = given.duration(prepared.longest_step);
  if (!given.step.courant && !given.step.of_limit) return text;
  const std::string asked = given.step.courant ? "Courant number " + readable(given.step.value)
                                               : readable(given.step.value) + " of the limit";
  return text + "  (" + asked + trimmed_text(given, prepared) + ")";
}

// "alternating from cell to cell along x"
std::string shape_text(const Case& given, const verify::Forecast& f) {
  const Grid& g = given.problem.grid();
  std::string alternating, smooth;
  for (int a = 0; a < g.dimension(); ++a) {
    if (f.changes_possible[a] == 0) continue;
    if (f.uniform[static_cast<std::size_t>(a)]) {
      smooth += (smooth.empty() ? "" : ", ") + ("uniform along " + g.axis(a).name());
      continue;
    }
    const Real fraction = static_cast<Real>(f.sign_changes[a]) / static_cast<Real>(f.changes_possible[a]);
    std::string& list = fraction > 0.9 ? alternating : smooth;
    if (fraction > 0.9)
      list += (list.empty() ? "" : " and ") + g.axis(a).name();
    else
      list += fmt::format("{}{} sign changes along {}", list.empty() ? "" : ", ",
                          f.sign_changes[a] / std::max<Index>(1, g.count() / g.size(a)), g.axis(a).name());
  }
  std::string text;
  if (!alternating.empty())
    text =
        fmt::format("alternating from {} to {} along {}", g.unknowns() == Unknowns::cells ? "cell" : "node",
                    g.unknowns() == Unknowns::cells ? "cell" : "node", alternating);
  if (!smooth.empty()) text += (text.empty() ? "" : ", ") + smooth;
  return text;
}

std::string amount_of(const Case& given, Real difference) {
  return fmt::format("{:.3g}{}", std::abs(given.value.shown_difference(difference)), given.value.suffix());
}

std::string steps_text(const Case& given, Real steps, Real step) {
  return fmt::format("step {:.0f} ({})", steps, given.duration(steps * step));
}

// " are uniform along y", with the axes along which they are.
std::string uniform_text(const Case& given, const verify::Forecast& f) {
  std::string axes;
  const Grid& g = given.problem.grid();
  for (int a = 0; a < g.dimension(); ++a)
    if (f.uniform[static_cast<std::size_t>(a)]) axes += (axes.empty() ? "" : " and ") + g.axis(a).name();
  return axes.empty() ? " contain none of these modes" : " are uniform along " + axes;
}

// When the solution is swamped, in words.
std::string swamped_text(const Case& given, const Prepared& prepared) {
  const auto& f = *prepared.forecast;
  const Real step = prepared.longest_step;
  if (f.dormant)
    return "no growth expected: data and round-off" + uniform_text(given, f) + "; a disturbance would grow";
  if (f.first_step == f.last_step)
    return fmt::format("the solution leaves the data range at about {}",
                       steps_text(given, f.last_step, step));
  return fmt::format("the solution leaves the data range between {} and {}",
                     steps_text(given, f.first_step, step), steps_text(given, f.last_step, step));
}

// What is said of a step within its limit.
std::string stable_text(const Case& given, const Prepared& prepared) {
  const auto& s = prepared.stability;
  if (s.on_the_border()) return "stable, but " + border_text(prepared);
  if (!s.allowed) return "stable";
  const NumericalFlux& flux = numerical_flux(given.problem.numerical_flux);
  // Up to the step that makes no new extrema the range of the data itself is the bound.
  const bool keeps = prepared.longest_step <= s.positivity.step * (1 + 1e-10);
  const std::string by = s.limit.standing == Standing::heuristic && !keeps ? " (von Neumann)" : "";
  if (!flux.monotone)
    return fmt::format(
        "not known: stable for frozen coefficients{}, but flux '{}' is not monotone and values at a front "
        "are unbounded",
        by, flux.name);
  if (s.allowed->bounded) return "stable" + by;
  return fmt::format("stable{} for {} within {}; not known outside: {}", by, given.problem.equation().unknown,
                     values_text(given, *s.stable_for), s.allowed->why_not);
}

void forecast_rows(const Case& given, const Prepared& prepared, Report& report) {
  if (!prepared.forecast) return;
  const auto& f = *prepared.forecast;
  report.row(
      "growing modes",
      fmt::format("{} of {}; largest amplification factor: {:.6g} per step", f.growing, f.modes, f.factor),
      Report::Data(f.growing));
  report.row(
      "leading mode",
      fmt::format("{}, maximum at {}; {}", shape_text(given, f),
                  place_text(given, given.problem.grid(), f.peak),
                  f.seeded ? fmt::format("amplitude in the data: {}; amplification factor: {:.6g} per step",
                                         amount_of(given, f.amplitude), f.leading_factor)
                  : f.dormant ? "not contained in data or round-off"
                              : "not contained in the data: seeded by round-off"),
      number(f.leading_factor));
  if (f.dormant) {
    report.row("forecast", swamped_text(given, prepared), number(f.last_step));
    return;
  }
  report.row("forecast",
             fmt::format("{}, first at {}; 1 % of the range at {}", swamped_text(given, prepared),
                         place_text(given, given.problem.grid(), f.where),
                         steps_text(given, f.visible_step, prepared.longest_step)),
             number(f.last_step));
}

}  // namespace

std::string forecast(const Case& given, const Prepared& prepared) {
  const auto& s = prepared.stability;
  if (const auto lost = s.limit.step == 0 ? not_hyperbolic_at(given, prepared.initial) : std::nullopt)
    return fmt::format(
        "the system is not hyperbolic at {}, where eigenvalues of the Jacobian of its flux are not real: "
        "no step is stable",
        place_text(given, given.problem.grid(), *lost));
  if (s.limit.step == 0 && std::isinf(s.courant_number) && s.allowed)
    return fmt::format("the speed df/du is unbounded within the data bounds {}: no step is stable",
                       values_text(given, s.allowed->values));
  if (s.limit.step == 0 && s.limit.standing == Standing::heuristic)
    return fmt::format("scheme '{}' with flux '{}' is unstable at any step (von Neumann)",
                       given.plan.scheme.name, given.problem.numerical_flux);
  if (s.limit.step == 0)
    return fmt::format("scheme '{}' is unstable at any step{}", given.plan.scheme.name,
                       prepared.forecast
                           ? fmt::format("; {} of {} modes grow, and {}", prepared.forecast->growing,
                                         prepared.forecast->modes, swamped_text(given, prepared))
                           : "");
  const std::string limit = given.duration(s.limit.step);
  if (prepared.forecast)
    return fmt::format("the largest stable step is {}; {} of {} modes grow, and {}", limit,
                       prepared.forecast->growing, prepared.forecast->modes, swamped_text(given, prepared));
  if (s.limit.standing == Standing::bracketed)
    return fmt::format("largest stable step between {} and {}", limit, given.duration(s.limit.unstable_from));
  if (s.limit.standing == Standing::heuristic)
    return fmt::format("the limit of von Neumann's analysis, without boundaries, is {}", limit);
  if (s.limit.standing != Standing::sharp)
    return fmt::format("known to be stable only up to {} (sufficient bound)", limit);
  const Real step = prepared.longest_step;
  Real factor = 0;
  if (s.wave)
    for (const auto& root : wave_amplification(given.plan.scheme, s.largest_eigenvalue * step * step))
      factor = std::max(factor, std::abs(root));
  else
    factor = std::abs(
        amplification(given.plan.scheme, std::complex<Real>(-s.largest_eigenvalue * step), s.stages));
  const Real steps = std::log(1e16) / std::log(factor);
  return fmt::format(
      "the largest stable step is {}; largest amplification factor {:.6g} per step; round-off exceeds the "
      "solution after about {:.0f} steps ({})",
      limit, factor, std::ceil(steps), given.duration(steps * prepared.longest_step));
}

void stability_section(const Case& given, const Prepared& prepared, Report& report) {
  const auto& s = prepared.stability;
  report.section("stability");
  const std::string unit = given.time.unit;
  report.row("this step", this_step_text(given, prepared),
             number(given.time.shown_difference(prepared.longest_step)), unit);
  const std::string verdict = surely_unstable(s) ? "UNSTABLE" : "may be UNSTABLE";
  if (prepared.plan.adaptive)
    report.row("verdict",
               std::isinf(s.limit.step) ? "stable" : "steps that amplify errors are rejected and shortened",
               Report::Data(std::string(std::isinf(s.limit.step) ? "stable" : "bounded by step control")));
  else
    report.row("verdict",
               !prepared.refuted.empty() ? "refuted by the run: " + prepared.refuted
               : s.stable()              ? stable_text(given, prepared)
                                         : verdict + ": " + forecast(given, prepared),
               Report::Data(std::string(!prepared.refuted.empty() ? "refuted"
                                        : s.stable()              ? "stable"
                                        : surely_unstable(s)      ? "unstable"
                                                                  : "not known")));
  if (s.allowed)
    report.row("data bounds",
               fmt::format("{}  ({})", values_text(given, s.allowed->values),
                           s.allowed->bounded ? "maximum principle, whole run"
                                              : "range of the data only; unbounded: " + s.allowed->why_not));
  limit_row(given, prepared, "largest stable step", s.limit, report);
  const bool several = given.is_system();
  if (!several) limit_row(given, prepared, "interior limit", s.interior, report);
  if (!s.wave && !several) limit_row(given, prepared, "monotonicity limit", s.positivity, report);
  forecast_rows(given, prepared, report);
  if (s.wave) courant_row(given, prepared, report);
  if (several && s.courant_number > 0 && prepared.longest_step > 0)
    report.row("Courant number", fmt::format("{}  (largest at the start)", readable(s.courant_number)),
               number(s.courant_number));
  if (!s.wave && prepared.longest_step > 0 && s.diffusion_number > 0)
    report.row("diffusion number",
               fmt::format("{}  (Σ D·step/h² over axes; maximum at {})", readable(s.diffusion_number),
                           place_text(given, given.problem.grid(), s.worst)),
               number(s.diffusion_number));
  // Of implicit schemes for equations whose coefficients depend on the unknown none is looked for.
  if (!prepared.advection && s.largest_eigenvalue > 0)
    report.row("spectrum",
               fmt::format("largest {}: {} ({}{})", s.wave ? "frequency" : "eigenvalue",
                           readable(s.wave ? std::sqrt(s.largest_eigenvalue) : s.largest_eigenvalue,
                                    given.time.unit.empty() ? "" : "1/s"),
                           s.method, s.times > 1 ? fmt::format(", at {} times", s.times) : ""),
               number(s.largest_eigenvalue), given.time.unit.empty() ? "" : "1/s");
}

void warnings_section(const Case& given, const Prepared& prepared, Report& report) {
  const auto& s = prepared.stability;
  report.section("warnings");
  if (!s.stable()) report.note("`run` refuses this step without --force");
  if (s.stable() && given.step.of_limit && given.step.value > 1)
    report.note(
        fmt::format("requested step: {} of the limit; shortened below the limit to meet the record times",
                    readable(given.step.value)));
  if (s.stable() && !prepared.plan.adaptive && s.limit.standing == Standing::bound &&
      s.fraction_of_limit() > 0.5 && !std::isinf(s.limit.step))
    report.note("the limit is sufficient, not sharp: a larger step may be stable");
  if (s.wave) {
    wave_warnings(given, prepared, report);
    return;
  }
  if (prepared.advection) {
    advection_warnings(given, prepared, report);
    return;
  }
  if (given.is_system()) {
    if (s.stable() && !prepared.plan.adaptive && !std::isinf(s.limit.step))
      report.note("limits are those of the values at the start: not known for values that come later");
    return;
  }
  if (s.stable() && prepared.longest_step > s.positivity.step * (1 + 1e-12))
    report.note(
        s.positivity.step > 0
            ? fmt::format("step beyond the monotonicity limit {}: oscillations possible after rough data",
                          given.duration(s.positivity.step))
            : "monotonicity limit of this scheme not known: oscillations possible after rough data");
  // Fast modes that are hardly damped ring on; so many half-way sign changes a step mean many steps to go.
  const Real damping = std::abs(amplification(
      given.plan.scheme, std::complex<Real>(-s.largest_eigenvalue * prepared.longest_step), s.stages));
  if (s.stable() && !is_explicit(given.plan.scheme) && prepared.plan.damped_start == 0 && damping > 0.5 &&
      prepared.longest_step * s.largest_eigenvalue > 2)
    report.note(
        fmt::format("amplification factor of the shortest waves: -{:.3g} per step, slowly decaying "
                    "oscillations after a jump in the data; remedy: time.damped_start = 2",
                    damping));
  if (prepared.slowest && *prepared.slowest * prepared.longest_step > 1)
    report.note(fmt::format("step longer than the slowest decay time ({}): the transient is not resolved",
                            given.duration(1 / *prepared.slowest)));
  if (s.times > 1) report.note("coefficients vary in time: limits are the smallest over all times looked at");
}

void brief_stability(const Case& given, const Prepared& prepared, Report& report) {
  const auto& s = prepared.stability;
  if (prepared.plan.adaptive) {
    report.row("scheme", given.plan.scheme.title + ", adaptive steps");
    report.row("stability", this_step_text(given, prepared));
    return;
  }
  report.row("scheme", fmt::format("{}, {}{} steps of {}", given.plan.scheme.title,
                                   ends_early(given, prepared) ? "at most " : "", prepared.steps,
                                   this_step_text(given, prepared)));
  report.row("stability",
             std::isinf(s.limit.step) ? "stable at any step"
             : s.limit.step <= 0
                 ? fmt::format("unstable at any step ({})", standing_text(given, s.limit))
                 : fmt::format("{:.4g} of the largest stable step {} ({})", s.fraction_of_limit(),
                               given.duration(s.limit.step), standing_text(given, s.limit)));
}

void post_mortem(const Case& given, const Prepared& prepared, const Outcome& o, Report& report) {
  const Grid& g = given.problem.grid();
  const auto& y = prepared.initial;  // the state at the end
  const auto largest =
      std::ranges::max_element(y, {}, [](Real v) { return std::isfinite(v) ? std::abs(v) : 0.0; });
  if (largest != y.end()) {
    const auto unknown = static_cast<std::size_t>((largest - y.begin()) / g.count());
    report.note(fmt::format("largest value at step {}: {}at {}", o.steps,
                            given.count() > 1 ? given.unknown(unknown).problem.equation().unknown + ", " : "",
                            place_text(given, g, (largest - y.begin()) % g.count())));
  }
  if (prepared.advection) backflow_note(given, prepared, report);
  if (prepared.stability.stable()) {
    if (prepared.stability.on_the_border()) report.note("the step was " + border_text(prepared));
    report.note(prepared.stability.limit.standing == Standing::heuristic
                    ? "the step was within the von Neumann limit, which excludes boundaries and fronts: "
                      "refuted by this run"
                    : "the step is stable for the linear problem: the growth belongs to the equation itself "
                      "or to its nonlinearity");
    return;
  }
  report.note(fmt::format("the step was {}, but {}", given.duration(prepared.longest_step),
                          forecast(given, prepared)));
  if (!prepared.forecast) return;
  const auto& f = *prepared.forecast;
  // From the state that was left, whatever was expected.
  const verify::Forecast seen = verify::seen_in(*prepared.balance, y);
  report.note(fmt::format(
      "growing mode: {}, maximum at {}; {}", shape_text(given, seen), place_text(given, g, seen.peak),
      f.seeded
          ? fmt::format("amplitude in initial and boundary data: {}; amplification factor: {:.6g} per step",
                        amount_of(given, f.amplitude), f.leading_factor)
          : "seeded by round-off alone, hence the delay"));
  report.note(fmt::format("growth from the start; 1 % of the range, visible in figures, at {}; {}",
                          steps_text(given, f.visible_step, prepared.longest_step),
                          prepared.stability.limit.step > 0
                              ? fmt::format("stable step: {}", given.duration(prepared.stability.limit.step))
                              : "this scheme has no stable step"));
}

}  // namespace williwaw::study
