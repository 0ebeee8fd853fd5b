// Stages: cases one after another, each from the end of the one before.
#pragma once

#include "williwaw/study/check.hpp"

namespace williwaw::study {

/// Stage `stage` of a case, starting at `start` from these values on the same grid.
Case stage_of(const Case& given, Index stage, Real start, const State& initial);
/// The same from values on these grids of the unknowns, which may be parts of those of the case: it is made
/// for nobody else then.
Case stage_of(const Case& given, Index stage, Real start, const State& initial,
              const std::vector<Grid>& grids);
/// Lines of the ledgers of all stages, without repetition.
std::vector<LedgerLine> lines_of_all(const Prepared& first, const std::vector<PlannedStage>& later);

}  // namespace williwaw::study
