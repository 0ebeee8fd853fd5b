// What a run will cost, told before it starts.
#pragma once

#include "williwaw/study/check.hpp"

namespace williwaw::study {

/// How long the steps and rows of a run with fixed steps will take, s, from steps that are taken and timed, a
/// second at most; above 10⁵ unknowns on a coarser grid, scaled. Nothing for steady states and adaptive
/// steps.
std::optional<Real> measured_seconds(const Case& given, const Prepared& prepared);

/// What the records of a run take on the disk at most, in bytes: its whole fields twice, since the journal
/// stays until fields.nc is complete, and the rows of its series (those of adaptive steps not counted).
Real recorded_bytes(const Case& given, const Prepared& prepared);

/// A run that takes longer than this, s, is started only when told so: one day.
inline constexpr Real longest_unasked = 86400;

/// Why a run with its stages, or all samples of it, should not start without being told so: it takes longer
/// than `longest_unasked`, or its records do not fit onto the disk of `folder`. Nothing where neither holds
/// or nothing is known. Times steps only where they could take so long.
std::optional<std::string> too_costly(const Case& given, const Prepared& prepared,
                                      const std::vector<PlannedStage>& later,
                                      const std::filesystem::path& folder);

}  // namespace williwaw::study
