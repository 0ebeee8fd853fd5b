// What `check` says of waves: their step, and what the grid makes of their speed.
#include <fmt/format.h>

#include <cmath>

#include "study/wording.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw::study {

namespace {
// Waves with fewer unknowns in their length are more the grid's than the equation's.
constexpr Real few_points = 8;
}  // namespace

std::string border_text(const Prepared& prepared) {
  return prepared.stability.on_the_border() ? "at the limit itself: double root of modulus one, growth "
                                              "proportional to the number of steps possible"
                                            : "";
}

void courant_row(const Case& given, const Prepared& prepared, Report& report) {
  const auto& s = prepared.stability;
  report.row("Courant number",
             fmt::format("{}  (step·√(Σ speed²/h²); maximum at {})", readable(s.courant_number),
                         place_text(given, given.problem.grid(), s.worst)),
             number(s.courant_number));
}

void dispersion_section(const Case& given, const Prepared& prepared, Report& report) {
  if (!prepared.dispersion) return;
  const verify::Dispersion& d = *prepared.dispersion;
  const Real length = 2 * M_PI / d.wavenumber;
  const auto percent = [](Real fraction) { return fmt::format("{:+.3g} %", 100 * fraction); };
  report.section("dispersion");
  report.row("source of the waves", d.basis);
  report.row("wavelength",
             fmt::format("{} (energy-weighted mean)",
                         readable(given.length.shown_difference(length), given.length.unit)),
             number(given.length.shown_difference(length)), given.length.unit);
  report.row(
      "points per wavelength",
      fmt::format("{:.3g}; {:.3g} for the shortest waves with 10 % of the energy", d.points, d.fewest_points),
      number(d.points));
  report.row("phase velocity error", percent(d.phase_error), number(d.phase_error));
  report.row("group velocity error", percent(d.group_error), number(d.group_error));
  report.row("phase lag, in time",
             fmt::format("{} at the end of the run (energy-weighted mean)", given.duration(d.phase_lag)),
             number(given.time.shown_difference(d.phase_lag)), given.time.unit);
}

void wave_warnings(const Case& given, const Prepared& prepared, Report& report) {
  if (given.problem.equation().as_system && reconstruction_kind(given.problem.reconstruction).limited &&
      prepared.longest_step > prepared.stability.positivity.step * (1 + 1e-12))
    report.note(
        fmt::format("limit of the unlimited scheme; total variation does not grow up to {} with {}, beyond "
                    "it the energy may grow",
                    given.duration(prepared.stability.positivity.step), given.problem.reconstruction));
  if (prepared.stability.on_the_border()) report.note("the step is " + border_text(prepared));
  if (!prepared.dispersion) return;
  const verify::Dispersion& d = *prepared.dispersion;
  if (d.fewest_points < few_points)
    report.note(
        fmt::format("10 % of the energy in waves with fewer than {:.3g} points per wavelength: phase lag and "
                    "spurious ripples; use a finer grid or order 4",
                    d.fewest_points));
}

}  // namespace williwaw::study
