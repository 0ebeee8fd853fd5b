// Stages: cases one after another, each from the end of the one before.
#pragma once

#include "williwaw/casefile/check.hpp"

namespace williwaw::casefile {

/// Stage `stage` of a case, starting at `start` from these values on the same grid.
Case stage_of(const Case& given, Index stage, Real start, const State& initial);
/// Lines of the ledgers of all stages, without repetition.
std::vector<LedgerLine> lines_of_all(const Prepared& first, const std::vector<PlannedStage>& later);

/// A function that gives these values at the unknowns of a grid.
Function values_at(const Grid& grid, State values);

}  // namespace williwaw::casefile
