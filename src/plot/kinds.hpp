// What the kinds of figures share.
#pragma once

#include "gnuplot.hpp"
#include "williwaw/plot/theme.hpp"

namespace williwaw::plot {

using casefile::FigureRequest;

/// What a file of a figure kind defines: figures::NAME(), and a line KIND(NAME) in figures/list.inc.
namespace figures {
#define KIND(name) FigureKind name();
#include "figures/list.inc"
#undef KIND
}  // namespace figures

/// Rules that several kinds share, as FigureKind::lacks: values along a line; a plane; a block.
std::string lacks_line(const FigureSource& source, const FigureRequest& request);
std::string lacks_plane(const FigureSource& source, const FigureRequest& request);
std::string lacks_block(const FigureSource& source, const FigureRequest& request);

/// The run opened for another unknown, where a request names one that the run has besides the one it is open
/// for.
std::optional<RunFolder> of_other_unknown(const RunFolder& run, const FigureRequest& request);

/// Of several samples, what bands lie between, and how they look.
inline const std::string lower_quantile = casefile::statistics_of_samples[1],
                         upper_quantile = casefile::statistics_of_samples[3];
inline constexpr Real band_opacity = 0.2;
inline constexpr const char* band_entry = "10 to 90 % of samples";

/// Draws one frame; of a film all have the range of the run, a single figure has its own.
void draw_profile_frame(Gnuplot& plot, const RunFolder& run, const FigureRequest& request,
                        const std::vector<Index>& records, bool own_range);
/// Likewise.
void draw_map_frame(Gnuplot& plot, const RunFolder& run, const FigureRequest& request, Index record,
                    const Output& out, bool own_range);

/// Positions and values of a record along the axis of a line, or along the line asked for.
struct Curve {
  std::vector<Real> position, value;
};
Curve curve_of(const Field& field, const FigureRequest& request, const store::Scale& length);
std::string position_label(const RunFolder& run, const FigureRequest& request);

/// Records that a request asks for: its times, every k-th, or a handful spread over the run.
std::vector<Index> records_of(const RunFolder& run, const FigureRequest& request, Index handful);

/// A rectangular picture of values, row by row from below.
struct Raster {
  Index columns = 0, rows = 0;
  Real from_x = 0, to_x = 0, from_y = 0, to_y = 0;
  std::vector<Real> values;
};
/// Where a picture and its colour bar stand, in fractions of the whole figure.
struct Box {
  Real left, right, bottom, top;
  bool bar_below = false;  ///< a flat picture has its bar below, any other beside it
  bool bar = true;         ///< one of several pictures has none of its own
};
/// The largest box in which equal lengths are equal; any box that fits for a width and height that are no
/// lengths.
Box box_of(const Output& out, Real width, Real height, bool equal_lengths);

/// A plane of a block, or the whole of a plan.
struct Plane {
  int right;  ///< grid axis drawn to the right
  int up;
  int across = -1;
  Index at = 0;  ///< where the plane lies along `across`
};
Plane plane_of(const RunFolder& run, const FigureRequest& request);
/// The plane of unknowns nearest to a position in shown units.
Plane plane_across(const Grid& grid, int across, Real position);
/// ", z = 0.5 m", or nothing.
std::string plane_text(const RunFolder& run, const Plane& plane);
/// Cells are drawn as what they are, each of one colour; between nodes the field goes on linearly. Not a
/// number where the domain is cut out, of a plan up to the outlines of its regions.
Raster raster_of(const RunFolder& run, const Field& field, const Plane& plane);

/// Straight lines to be drawn over a picture: x, y, dx, dy for each.
struct Lines {
  std::vector<Real> segments;
  Real width = 1;
  std::string colour;
  bool heads = false;  ///< arrows
};
/// Between what has a value and what has none.
Lines outline_of(const Raster& raster);
/// Where half of a control volume would be left, smooth where outlines are round; nothing where no region is
/// cut out.
Lines smooth_outline_of(const RunFolder& run, const Plane& plane);
/// Outlines of all regions of a plan, those of cut-outs heavier than those between materials; of planes of
/// blocks what is left of control volumes tells. Nothing where there are no regions.
std::vector<Lines> region_lines(const RunFolder& run, const Plane& plane);

/// Sets colours for values between low and high; `bands` > 0 makes so many flat ones.
void set_palette(Gnuplot& plot, std::pair<Real, Real> range, bool signed_field, Index bands = 0);
/// Sets colours and range, and draws the raster as an image, with its outline and lines over it.
void draw_raster(Gnuplot& plot, const Raster& raster, std::pair<Real, Real> range, bool signed_field,
                 const std::string& bar_label, const Box& box, Index bands = 0,
                 const std::vector<Lines>& over = {}, const std::string& bar_place = "");
/// True for fields around zero whose sign means something; then the range is made symmetric.
bool is_signed(const store::Scale& scale, std::pair<Real, Real>& range);

/// The range asked for, or that of the whole run, made symmetric (second: true) where the sign means
/// something.
std::pair<std::pair<Real, Real>, bool> range_of(const RunFolder& run, const FigureRequest& request);

/// The range asked for, or that of the values that a single figure shows, likewise.
std::pair<std::pair<Real, Real>, bool> range_of(const RunFolder& run, const FigureRequest& request,
                                                std::span<const Real> values);

/// "Hut floor — t = 6 h"
std::string title_of(const RunFolder& run, const FigureRequest& request);
/// The title with the time of a record, or that it is a steady state.
std::string title_at(const RunFolder& run, const FigureRequest& request, Index record);
std::string time_text(const RunFolder& run, Index record);
/// What the value axis says.
std::string value_label(const RunFolder& run);
/// Makes a range hold these values as well, but for those that are not finite.
void widen(std::pair<Real, Real>& range, std::span<const Real> values);
/// Widens a range so that curves do not touch the frame; never empty.
std::pair<Real, Real> padded(std::pair<Real, Real> range);

}  // namespace williwaw::plot
