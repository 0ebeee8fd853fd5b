// Several pictures of one shape side by side, and several curves of one axis over each other.
#pragma once

#include "kinds.hpp"

namespace williwaw::plot {

/// A picture among others.
struct Panel {
  std::string title;
  Raster raster;
  std::pair<Real, Real> range;
  bool signed_field = false;
  std::string bar_label;
};
struct Panels {
  std::string title, right_label, up_label;
  std::vector<Panel> panels;
  std::vector<Lines> over;    ///< all of them
  bool bar_for_each = false;  ///< otherwise one for all, with the range of the last
};
/// As large as they can be without distortion.
void draw_panels(Gnuplot& plot, const Output& out, const Panels& all);

/// As many curves as colours and dashes can tell apart.
inline constexpr std::size_t most_curves_apart = 12;

/// A curve with its entry in the legend.
struct NamedCurve {
  std::string name;
  Curve curve;
};
/// Curves without an order: by colour, from the seventh on dashed as well. `not_drawn` are entries of the
/// legend without a curve. `pairs` is how gnuplot reads position and value.
void draw_curves(Gnuplot& plot, const std::vector<NamedCurve>& curves, const char* pairs,
                 const std::vector<std::string>& not_drawn = {});

/// The title, with "12 of 20" where not all of them are drawn.
std::string title_of_some(const std::string& title, std::size_t drawn, std::size_t all);
/// A plane through a plan, or through the middle of a block.
Plane middle_plane(const Grid& grid);
/// The second of two pictures less the first, in the unit of both, as a panel with a range of its own.
Panel difference_panel(const std::string& title, const Raster& first, const Raster& second,
                       const std::string& unit);

/// Of more than `most` entries so many, evenly spread, the first and the last among them.
template <class Entry>
std::vector<Entry> spread_out(const std::vector<Entry>& all, std::size_t most) {
  if (all.size() <= most) return all;
  if (most == 1) return {all.back()};
  std::vector<Entry> some;
  for (std::size_t n = 0; n < most; ++n) some.push_back(all[n * (all.size() - 1) / (most - 1)]);
  return some;
}

}  // namespace williwaw::plot
