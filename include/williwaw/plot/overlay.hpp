// Figures that lay several runs over each other.
#pragma once

#include "williwaw/plot/figure.hpp"
#include "williwaw/study/compare.hpp"
#include "williwaw/study/converge.hpp"

namespace williwaw::plot {

/// Runs with their names, by result folder.
using NamedRuns = std::vector<std::pair<std::string, std::filesystem::path>>;

/// Residual histories of steady runs, by name and folder, on one log axis. Throws PlotError.
void draw_residuals(const NamedRuns& runs, const std::string& title, const Output& out);

/// Profiles at the end of several runs along the axis of a line, or along `request.along`; of many runs as
/// many as can be told apart. The legend names `not_drawn` without a curve. Throws PlotError.
void draw_profiles(const NamedRuns& runs, const casefile::FigureRequest& request, const std::string& title,
                   const Output& out, const std::vector<std::string>& not_drawn = {});

/// A column of the series of several runs over time, likewise. Throws PlotError.
void draw_series(const NamedRuns& runs, const std::string& column, const std::string& title,
                 const Output& out, const std::vector<std::string>& not_drawn = {});

/// Plans, or the middle planes of blocks, of several runs at the end, side by side with one range; of two
/// runs the second one less the first as well. Throws PlotError.
void draw_maps(const NamedRuns& runs, const std::string& title, const Output& out,
               const std::vector<std::string>& not_drawn = {});

/// Errors (or changes) over resolution on log axes, with the slope of the expected order. Throws
/// PlotError.
void draw_convergence(const study::Convergence& convergence, const std::string& title, const Output& out);

/// A run (lines) and what it is compared with (points), over the axis in 1-D or over time; in 2-D and 3-D
/// maps of both and of their difference at the last time. False where the places compared are no plane of the
/// run's grid, such as those of a table: nothing is drawn then. Throws PlotError.
bool draw_comparison(const study::Comparing& comparing, const Output& out);

}  // namespace williwaw::plot
