// Figures that lay several runs over each other.
#pragma once

#include "williwaw/plot/figure.hpp"
#include "williwaw/study/compare.hpp"
#include "williwaw/study/converge.hpp"

namespace williwaw::plot {

/// Residual histories of steady runs, by name and folder, on one log axis. Throws PlotError.
void draw_residuals(const std::vector<std::pair<std::string, std::filesystem::path>>& runs,
                    const std::string& title, const Output& out);

/// Profiles at the end of several runs along the axis of a line, or along `request.along`. Throws PlotError.
void draw_profiles(const std::vector<std::pair<std::string, std::filesystem::path>>& runs,
                   const casefile::FigureRequest& request, const std::string& title, const Output& out);

/// A column of the series of several runs over time. Throws PlotError.
void draw_series(const std::vector<std::pair<std::string, std::filesystem::path>>& runs,
                 const std::string& column, const std::string& title, const Output& out);

/// The region where the scheme is stable with the problem's modes in it, and what one step multiplies waves
/// by, for a case that was prepared and not run. Throws PlotError.
void draw_stability(const casefile::Case& given, const study::Prepared& prepared, const Output& out);

/// Phase and group velocities over the true one for waves of every length, and the delay that they cost the
/// run, for a wave that was prepared. Throws PlotError.
void draw_dispersion(const casefile::Case& given, const study::Prepared& prepared, const Output& out);

/// Errors (or changes) over resolution on log axes, with the slope of the expected order. Throws
/// PlotError.
void draw_convergence(const study::Convergence& convergence, const std::string& title, const Output& out);

/// A run (lines) and what it is compared with (points), over the axis in 1-D or over time. False for
/// values in 2-D or 3-D: nothing is drawn then. Throws PlotError.
bool draw_comparison(const study::Comparing& comparing, const Output& out);

}  // namespace williwaw::plot
