// Tables that a run writes when it ends.
#pragma once

#include "williwaw/study/report.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// boundaries.csv: what flows through every face of every boundary, side by side along boundaries.
void write_boundaries(const Case& given, Discretization& balance, const State& y, Real time,
                      const std::filesystem::path& file);
/// residuals.csv of a steady state.
void write_residuals(const SteadyOutcome& outcome, const std::filesystem::path& file);
/// What the columns of the series are, for readers of any kind.
Report columns_section(const std::filesystem::path& series);

}  // namespace williwaw::study
