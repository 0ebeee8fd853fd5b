// Figures that lay several runs over each other.
#pragma once

#include "williwaw/plot/figure.hpp"

namespace williwaw::plot {

/// Residual histories of steady runs, by name and folder, on one log axis. Throws PlotError.
void draw_residuals(const std::vector<std::pair<std::string, std::filesystem::path>>& runs,
                    const std::string& title, const Output& out);

/// Profiles at the end of several runs along the axis of a line, or along `request.along`. Throws PlotError.
void draw_profiles(const std::vector<std::pair<std::string, std::filesystem::path>>& runs,
                   const casefile::FigureRequest& request, const std::string& title, const Output& out);

}  // namespace williwaw::plot
