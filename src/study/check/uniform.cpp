// What `check` says of reacting unknowns: the state in which nothing changes, and which waves on it grow.
#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "study/wording.hpp"

namespace williwaw::study {

void uniform_section(const Case& given, const Prepared& prepared, Report& report) {
  if (!given.reaction) return;
  report.section("uniform state");
  if (!prepared.uniform) {
    report.row("state", "not known: none found from the mean of the start, or coefficients vary");
    return;
  }
  const verify::UniformState& state = *prepared.uniform;
  for (std::size_t u = 0; u < state.values.size(); ++u) {
    const store::Scale& scale = given.unknown(u).value;
    report.row(given.unknown(u).problem.equation().unknown,
               readable(scale.shown(state.values[u]), scale.unit), number(scale.shown(state.values[u])),
               scale.unit);
  }
  const std::string per_time = given.time.unit.empty() ? "" : "1/" + given.time.unit;
  const Real unit = given.time.shown_difference(1);
  const auto rate = [&](Real per_second) { return readable(per_second / unit, per_time); };
  const auto length = [&](Real wavelength) {
    return std::isinf(wavelength) ? "infinity"
                                  : readable(given.length.shown_difference(wavelength), given.length.unit);
  };
  report.row("disturbed evenly",
             fmt::format("{} at {}{}", state.without_waves < 0 ? "decays" : "grows",
                         rate(std::abs(state.without_waves)), state.oscillates ? ", oscillating" : ""),
             number(state.without_waves / unit), per_time);
  if (!state.growing) {
    report.row("growing wavelengths", "none");
    return;
  }
  report.row("growing wavelengths",
             fmt::format("{} to {}", length(state.growing->first), length(state.growing->second)));
  const Grid& g = given.problem.grid();
  Real spacing = 0, domain = 0;
  for (int a = 0; a < g.dimension(); ++a) {
    spacing = std::max(spacing, g.axis(a).length() / static_cast<Real>(g.axis(a).intervals()));
    domain = std::max(domain, g.axis(a).length());
  }
  if (std::isinf(state.wavelength)) {
    report.row("fastest growth", rate(state.fastest) + " of all wavelengths together",
               number(state.fastest / unit), per_time);
    return;
  }
  report.row("fastest growth",
             fmt::format("{} at the wavelength {}, {:.3g} spacings", rate(state.fastest),
                         length(state.wavelength), state.wavelength / spacing),
             number(state.fastest / unit), per_time);
  report.row("fastest wavelength", length(state.wavelength),
             number(given.length.shown_difference(state.wavelength)), given.length.unit);
  if (state.wavelength < 8 * spacing)
    report.note(fmt::format(
        "the fastest wavelength has {:.2g} spacings: not resolved; for eight of them a spacing of {}",
        state.wavelength / spacing, length(state.wavelength / 8)));
  if (state.wavelength > 2 * domain)
    report.note("the fastest wavelength is longer than twice the domain: boundaries decide what grows");
}

}  // namespace williwaw::study
