// Tables that a run writes when it ends.
#pragma once

#include "williwaw/study/report.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// boundaries.csv: what flows through every face of every boundary, side by side along boundaries; of further
/// unknowns boundaries-NAME.csv. Returns the names of the files.
std::vector<std::string> write_boundaries(const Case& given, Discretization& balance, const State& y,
                                          Real time, const std::filesystem::path& folder);
/// residuals.csv of a steady state.
void write_residuals(const SteadyOutcome& outcome, const std::filesystem::path& file);
/// What the columns of the series are, for readers of any kind.
Report columns_section(const std::filesystem::path& series);

}  // namespace williwaw::study
