// Words that several reports share.
#pragma once

#include "williwaw/study/check.hpp"

namespace williwaw::study {

/// "x = 0.1 m, y = 0.2 m": where an unknown is.
std::string place_text(const Case& given, const Grid& grid, Index number);

/// The same of any place, from SI.
std::string given_place(const Case& given, const Point& place);

/// When a steady solve stops, in words.
std::string stopping_rule(const SteadyRules& rules);

/// Among several unknowns the name stands before a label, as before a column of the series.
std::string label_of(const Case& given, std::size_t unknown, const std::string& label);

/// Boundaries and what acts there; of several unknowns each by itself where they differ, "west, ice".
std::vector<std::pair<std::string, std::string>> boundaries_in_words(const Case& given);

/// Sections of `check` that say what the domain is.
void regions_section(const Case& given, const Prepared& prepared, Report& report);
void boundaries_section(const Case& given, const Prepared& prepared, Report& report);

/// Sections of `check` on the step, and what `run` says of it at its start.
void stability_section(const Case& given, const Prepared& prepared, Report& report);
void warnings_section(const Case& given, const Prepared& prepared, Report& report);
/// Of waves.
std::string border_text(const Prepared& prepared);
void courant_row(const Case& given, const Prepared& prepared, Report& report);
void dispersion_section(const Case& given, const Prepared& prepared, Report& report);
void wave_warnings(const Case& given, const Prepared& prepared, Report& report);
/// Why a run blew up, as far as the analysis tells.
void post_mortem(const Case& given, const Prepared& prepared, const Outcome& outcome, Report& report);
/// By itself, perhaps before the end it was given: when settled, or when it repeats.
inline bool ends_early(const Case& given, const Prepared& prepared) {
  return prepared.ends_when_settled || (prepared.cycle && given.cycle->ends_run);
}
void brief_stability(const Case& given, const Prepared& prepared, Report& report);

/// A number as what stands behind a row.
inline Report::Data number(Real v) {
  return Report::Data(v);
}

/// How the advected quantity is reconstructed and passed on, in words.
std::string space_text(const Case& given);
void advection_section(const Case& given, const Prepared& prepared, Report& report);
/// Of several unknowns with a flux: how fast something travels at the start, and where the system is not
/// hyperbolic.
void speeds_section(const Case& given, const Prepared& prepared, Report& report);
/// An unknown at which the Jacobian of the flux has eigenvalues that are not real; nothing where there is
/// none.
std::optional<Index> not_hyperbolic_at(const Case& given, const State& y);
/// Of several unknowns: the uniform state, and which waves on it grow.
void uniform_section(const Case& given, const Prepared& prepared, Report& report);
void advection_warnings(const Case& given, const Prepared& prepared, Report& report);
/// After a blow-up: outlets through which the flow came back.
void backflow_note(const Case& given, const Prepared& prepared, Report& report);

/// The linear solver of an implicit step, asked of the solvers themselves.
std::string solver_text(const Case& given, const Prepared& prepared);

}  // namespace williwaw::study
