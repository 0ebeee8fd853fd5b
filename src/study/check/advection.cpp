// What `check` says where something is advected: Courant and cell Peclet numbers, numerical diffusion, what
// the velocity does, and outlets under backflow.
#include <fmt/format.h>

#include <cmath>

#include "study/wording.hpp"

namespace williwaw::study {

namespace {

std::string unit_of(const Case& given, const char* unit) {
  return given.flow_unit.empty() ? "" : unit;
}

bool is_central(const Case& given) {
  return given.problem.numerical_flux == "central" || given.problem.numerical_flux == "lax-wendroff";
}

// Where neighbours count with the wrong sign.
bool wiggles(const Case& given, const verify::AdvectionNumbers& s) {
  return given.problem.numerical_flux == "central" && given.problem.reconstruction == "first-order" &&
         s.peclet > 2;
}

std::string peclet_text(const Case& given, const verify::AdvectionNumbers& s) {
  const bool limited = given.problem.reconstruction != "first-order";
  if (wiggles(given, s)) return "above 2 the central flux makes wiggles beside steep fronts";
  if (is_central(given)) return "up to 2 the central flux makes no wiggles";
  if (limited) return "slopes are taken from the values around, so that little is smeared";
  return s.peclet > 2 ? "above 2 the numerical diffusion of the first-order flux exceeds the real one"
                      : "the numerical diffusion stays below the real one";
}

void numerical_diffusion_rows(const Case& given, const verify::AdvectionNumbers& s, Report& report) {
  const Grid& g = given.problem.grid();
  const std::string unit = unit_of(given, "m^2/s");
  for (int a = 0; a < g.dimension(); ++a) {
    if (s.speed[a] == 0 || !std::isfinite(s.speed[a])) continue;
    const Real extra = s.numerical_diffusion[a], real = s.diffusivity[a];
    std::string text = readable(extra, unit);
    if (extra == 0)
      text = given.problem.reconstruction == "first-order" ? "none to speak of: waves are delayed instead"
                                                           : "none to speak of, away from extrema";
    else if (real > 0)
      text += fmt::format(", {} times the real {}", readable(extra / real), readable(real, unit));
    else
      text += ", where nothing really diffuses";
    if (extra < 0) text += ": steepens what it carries, until it breaks";
    report.row("numerical diffusion, " + g.axis(a).name(), text, number(extra), unit);
  }
}

}  // namespace

std::string space_text(const Case& given) {
  const ReconstructionKind& kind = reconstruction_kind(given.problem.reconstruction);
  const bool second = kind.name == "first-order" && is_central(given);
  std::string text =
      fmt::format("flux form, reconstruction {}, numerical flux {}, order {} where it is smooth", kind.name,
                  given.problem.numerical_flux, second ? 2 : kind.order);
  if (!kind.slope && given.problem.grid().dimension() > 1)
    text += "; fluxes at points are reconstructed, not means";
  if (!kind.slope && given.problem.grid().dimension() == 1) text += "; unknowns are means over cells";
  return text + "; diffusion central, order 2";
}

void advection_section(const Case& given, const Prepared& prepared, Report& report) {
  if (!prepared.advection) return;
  const auto& s = *prepared.advection;
  const Grid& g = given.problem.grid();
  const bool law = given.problem.equation().advection->law != nullptr;
  report.section("advection");
  std::string speeds;
  for (int a = 0; a < g.dimension(); ++a)
    speeds += fmt::format("{}{} along {}", a == 0 ? "up to " : ", ",
                          readable(s.speed[a], unit_of(given, "m/s")), g.axis(a).name());
  report.row("speed", speeds + (law ? ", of all values judged" : ""));
  if (prepared.longest_step > 0)
    report.row("Courant number",
               fmt::format("{}  (sum over axes of speed·step/width, largest at {})", readable(s.courant),
                           place_text(given, g, s.courant_at)),
               number(s.courant));
  report.row("cell Peclet number",
             std::isinf(s.peclet)
                 ? "endless: nothing diffuses"
                 : fmt::format("{}  (speed·width/diffusivity, largest at {}); {}", readable(s.peclet),
                               place_text(given, g, s.peclet_at), peclet_text(given, s)),
             number(s.peclet));
  numerical_diffusion_rows(given, s, report);
  if (law) return;
  const std::string unit = unit_of(given, "1/s");
  report.row("divergence",
             s.compresses ? fmt::format("the velocity compresses by up to {} and expands by up to {}",
                                        readable(s.compressing, unit), readable(s.expanding, unit))
                          : "as much leaves every control volume as enters it, but for round-off",
             number(std::max(s.compressing, s.expanding)), unit);
  if (given.problem.equation().advection->velocity.divergence_free)
    report.row(
        "correction",
        fmt::format(
            "changed the velocity by {:.3g} % of its size, by at most {}; before, up to {} was left over",
            100 * s.correction.fraction, readable(s.correction.largest, unit_of(given, "m/s")),
            readable(s.correction.divergence_before, unit)),
        number(s.correction.fraction));
  for (const auto& back : s.backflow)
    report.row(back.boundary + " has backflow",
               fmt::format("the flow comes in through it with up to {} (at {}); {}",
                           readable(back.largest, unit_of(given, "m/s")), given.duration(back.time),
                           back.bounded ? "what comes in then is stated"
                                        : "what comes in then is what the profile inside leads to"),
               number(back.largest), unit_of(given, "m/s"));
}

void advection_warnings(const Case& given, const Prepared& prepared, Report& report) {
  const auto& s = *prepared.advection;
  const auto& stability = prepared.stability;
  const bool first = given.problem.reconstruction == "first-order";
  Real worst = 0;
  for (int a = 0; a < given.problem.grid().dimension(); ++a)
    if (s.numerical_diffusion[a] > s.diffusivity[a]) worst = std::max(worst, s.numerical_diffusion[a]);
  if (worst > 0 && first)
    report.note(
        fmt::format("numerical diffusion is larger than the real one: fronts and pulses are smeared by {}; "
                    "space.reconstruction = \"van-leer\" smears far less",
                    readable(worst, unit_of(given, "m^2/s"))));
  if (wiggles(given, s))
    report.note(
        "wiggles: beside steep fronts values will leave the range of the data; a finer grid, \"upwind\" with "
        "\"van-leer\" or \"hybrid\" would not");
  if (s.compresses && given.problem.equation().advection->conservative)
    report.note(
        "the velocity compresses: what it carries piles up where it does; if it should not, "
        "velocity.divergence_free = true corrects it, form = \"advective\" leaves it and gives up the total");
  if (!given.problem.equation().advection->velocity.divergence_free &&
      s.against_boundaries > 1e-9 * (s.speed[0] + s.speed[1] + s.speed[2]))
    report.note(fmt::format(
        "the velocity has a part of up to {} towards boundaries that let no advection through: it is taken "
        "as 0 there",
        readable(s.against_boundaries, unit_of(given, "m/s"))));
  for (const auto& back : s.backflow)
    if (!back.bounded)
      report.note(
          fmt::format("'{}' is an outflow through which there is backflow, and nothing bounds what it "
                      "brings: state it, {} = {{ outflow = {{ backflow = .. }} }}, or take {{ outflow = {{ "
                      "backflow_stabilization = 0.5 }} }}",
                      back.boundary, back.boundary));
  if (given.steady || prepared.plan.adaptive) return;
  if (!stability.stable()) return;
  if (prepared.longest_step > stability.positivity.step * (1 + 1e-12))
    report.note(
        stability.positivity.step > 0
            ? fmt::format("the step is stable but beyond {}, up to which no new extrema can appear",
                          given.duration(stability.positivity.step))
            : "no step of these schemes is known to keep extrema: values may leave the range of the data");
}

void backflow_note(const Case&, const Prepared& prepared, Report& report) {
  for (const auto& back : prepared.advection->backflow)
    if (!back.bounded)
      report.note(
          fmt::format("there was backflow through the outflow '{}', which lets in whatever the profile "
                      "inside leads to: that feeds on itself; state what comes in, {} = {{ outflow = {{ "
                      "backflow = .. }} }}",
                      back.boundary, back.boundary));
}

}  // namespace williwaw::study
