// Where the domain of a plan ends, in pictures of it.
#pragma once

#include "plot/kinds.hpp"

namespace williwaw::plot {

/// Regions of a plan are cut out, along outlines that the run has left.
bool has_cut_outs(const RunFolder& run, const Plane& plane);

/// Unknowns end at cells, cut-outs at their outlines: what lies beyond an outline gets no value, and what
/// lies within the domain has the value of the nearest pixel that has one, up to about a cell from there. A
/// later region takes the place of an earlier one. Nothing happens where nothing is cut out.
void cut_at_outlines(Raster& raster, const RunFolder& run, const Plane& plane);

}  // namespace williwaw::plot
