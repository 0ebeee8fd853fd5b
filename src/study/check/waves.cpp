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
  return prepared.stability.on_the_border()
             ? "at the limit itself: the fastest mode has a double root of modulus one and may grow in "
               "proportion to the steps"
             : "";
}

void courant_row(const Case& given, const Prepared& prepared, Report& report) {
  const auto& s = prepared.stability;
  report.row("Courant number",
             fmt::format("{}  (step·√(Σ speed²/h²), largest at {})", readable(s.courant_number),
                         place_text(given, given.problem.grid(), s.worst)),
             number(s.courant_number));
}

void dispersion_section(const Case& given, const Prepared& prepared, Report& report) {
  if (!prepared.dispersion) return;
  const verify::Dispersion& d = *prepared.dispersion;
  const Real length = 2 * M_PI / d.wavenumber;
  const auto percent = [](Real fraction) { return fmt::format("{:+.3g} %", 100 * fraction); };
  report.section("dispersion");
  report.row("waves come from", d.basis);
  report.row("wavelength",
             fmt::format("{}, mean over the energy of the waves",
                         readable(given.length.shown_difference(length), given.length.unit)),
             number(given.length.shown_difference(length)), given.length.unit);
  report.row("unknowns in a wavelength",
             fmt::format("{:.3g}, and {:.3g} for the shortest waves that hold a tenth of the energy",
                         d.points, d.fewest_points),
             number(d.points));
  report.row("speed of crests", percent(d.phase_error) + " of the true speed", number(d.phase_error));
  report.row("speed of packets", percent(d.group_error) + " of the true speed", number(d.group_error));
  report.row("numerical delay",
             fmt::format("{} at the end of the run, mean over the energy", given.duration(d.phase_lag)),
             number(given.time.shown_difference(d.phase_lag)), given.time.unit);
}

void wave_warnings(const Case& given, const Prepared& prepared, Report& report) {
  if (given.problem.equation().as_system && reconstruction_kind(given.problem.reconstruction).limited &&
      prepared.longest_step > prepared.stability.positivity.step * (1 + 1e-12))
    report.note(
        fmt::format("the limit takes slopes as if they were not limited; up to {} the slopes of {} add no "
                    "variation to what runs up and down, beyond it the energy may grow",
                    given.duration(prepared.stability.positivity.step), given.problem.reconstruction));
  if (prepared.stability.on_the_border()) report.note("the step is " + border_text(prepared));
  if (!prepared.dispersion) return;
  const verify::Dispersion& d = *prepared.dispersion;
  if (d.fewest_points < few_points)
    report.note(
        fmt::format("a tenth of the energy is in waves with fewer than {:.3g} unknowns in their "
                    "length: they come late and leave a wake of ripples that is not there",
                    d.fewest_points));
}

}  // namespace williwaw::study
