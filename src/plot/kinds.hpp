// The kinds of figures, one source file each; src/plot/figure.cpp lists them.
#pragma once

#include "gnuplot.hpp"
#include "williwaw/plot/theme.hpp"

namespace williwaw::plot {

using casefile::FigureRequest;

FigureKind profiles_kind();
FigureKind map_kind();
FigureKind spacetime_kind();
FigureKind series_kind();

/// Draws one frame; the film calls these over and over with the same ranges.
void draw_profile_frame(Gnuplot& plot, const RunFolder& run, const FigureRequest& request,
                        const std::vector<Index>& records);
void draw_map_frame(Gnuplot& plot, const RunFolder& run, const FigureRequest& request, Index record,
                    const Output& out);

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
/// Where a picture and its colour bar stand, in shares of the whole figure.
struct Box {
  Real left, right, bottom, top;
  bool bar_below = false;  ///< a flat picture has its bar below, any other beside it
};
/// The largest box in which equal lengths are equal; any box that fits for a width and height that are no
/// lengths.
Box box_of(const Output& out, Real width, Real height, bool equal_lengths);

/// Sets colours and range for values between low and high, and draws the raster as an image.
void draw_raster(Gnuplot& plot, const Raster& raster, std::pair<Real, Real> range, bool signed_field,
                 const std::string& bar_label, const Box& box);
/// True for fields around zero whose sign means something; then the range is made symmetric.
bool is_signed(const store::Scale& scale, std::pair<Real, Real>& range);

/// "Hut floor — t = 6 h"
std::string title_of(const RunFolder& run, const FigureRequest& request);
std::string time_text(const RunFolder& run, Index record);
/// What the value axis says.
std::string value_label(const RunFolder& run);
/// Widens a range so that curves do not touch the frame; never empty.
std::pair<Real, Real> padded(std::pair<Real, Real> range);

}  // namespace williwaw::plot
