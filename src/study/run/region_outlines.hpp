// Where regions of a plan end, for figures.
#pragma once

#include "williwaw/casefile/case.hpp"
#include "williwaw/store/fields.hpp"

namespace williwaw::study {

/// Of every region of a plan the straight pieces of its outline within the grid, in SI; nothing for other
/// dimensions. The outline is followed through squares of a raster, and the places at which it crosses their
/// edges are found by halving.
std::vector<store::RegionOutline> region_outlines(const casefile::Case& given);

}  // namespace williwaw::study
