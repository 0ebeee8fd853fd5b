// Maps: the unknown over a plan, or over one plane of a block, equal lengths drawn equal.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw::plot {

namespace {
constexpr Index fine_pixels = 800;
constexpr Index shades = 128;

struct Plane {
  int right;  ///< grid axis drawn to the right
  int up;
  int across = -1;
  Index at = 0;  ///< where the plane lies along `across`
};

Plane plane_of(const RunFolder& run, const FigureRequest& request) {
  const Grid& g = run.fields().grid();
  if (g.rank() == 1) throw PlotError("a map needs two axes; in one dimension use profiles or spacetime");
  if (g.rank() == 2) return {0, 1};
  if (!request.at || request.at_axis < 0) throw PlotError("a map of a block needs a plane: at = { z = .. }");
  Plane p{request.at_axis == 0 ? 1 : 0, request.at_axis == 2 ? 1 : 2, request.at_axis};
  const Axis& axis = g.axis(p.across);
  const Real position = run.fields().description().length.shown((*request.at)[g.slot(p.across)]);
  const auto nearest = std::ranges::min_element(axis.points(), {}, [&](Real q) { return std::abs(q - position); });
  p.at = nearest - axis.points().begin();
  return p;
}

}  // namespace

std::vector<Index> pixels_of(const Axis& axis) {
  std::vector<Index> result;
  const bool whole = axis.is_uniform() && axis.unknowns() == Unknowns::cells;
  const Index count = whole ? axis.size() : std::max(fine_pixels, axis.size());
  for (Index p = 0; p < count; ++p) {
    if (whole) {
      result.push_back(p);
      continue;
    }
    const Real position = axis.from() + axis.length() * (static_cast<Real>(p) + 0.5) / static_cast<Real>(count);
    const auto bounds = axis.bounds();
    const Index above = std::upper_bound(bounds.begin(), bounds.end(), position) - bounds.begin() - 1;
    // Past the last bound of a periodic axis lies the first node's volume again.
    result.push_back(above >= axis.size() ? (axis.periodic() ? 0 : axis.size() - 1) : above);
  }
  return result;
}

void draw_raster(Gnuplot& plot, const Raster& raster, std::pair<Real, Real> range, bool signed_field) {
  std::string palette = "set palette defined (";
  for (Index n = 0; n <= shades; ++n) {
    const Real s = static_cast<Real>(n) / shades;
    palette += fmt::format("{}{} '{}'", n == 0 ? "" : ", ", n, (signed_field ? diverging(s) : sequential(s)).hex());
  }
  plot.line(palette + ")");
  if (!(range.second > range.first)) range = padded(range);
  plot.line(fmt::format("set cbrange [{}:{}]", range.first, range.second));
  plot.line(fmt::format("set colorbox; set cbtics textcolor rgb '{}'", ink));
  plot.line("unset grid; set tics front; set key off");
  plot.line(fmt::format("set xrange [{}:{}]; set yrange [{}:{}]", raster.from_x, raster.to_x, raster.from_y, raster.to_y));
  const Real dx = (raster.to_x - raster.from_x) / static_cast<Real>(raster.columns);
  const Real dy = (raster.to_y - raster.from_y) / static_cast<Real>(raster.rows);
  plot.line(fmt::format("plot '-' binary array=({},{}) origin=({},{}) dx={} dy={} format='%double' using 1 with image notitle",
                        raster.columns, raster.rows, raster.from_x + dx / 2, raster.from_y + dy / 2, dx, dy));
  plot.data(raster.values);
}

void draw_map_frame(Gnuplot& plot, const RunFolder& run, const FigureRequest& request, Index record) {
  const auto& reader = run.fields();
  const auto& d = reader.description();
  const Grid& g = reader.grid();
  const Plane plane = plane_of(run, request);
  const Field field = reader.field(record);
  const Axis &right = g.axis(plane.right), &up = g.axis(plane.up);
  const auto columns = pixels_of(right), rows = pixels_of(up);
  Raster raster{static_cast<Index>(columns.size()), static_cast<Index>(rows.size()), right.from(), right.to(),
                up.from(), up.to(), {}};
  for (const Index r : rows)
    for (const Index c : columns) {
      std::array<Index, 3> at{0, 0, 0};
      at[plane.right] = c;
      at[plane.up] = r;
      if (plane.across >= 0) at[plane.across] = plane.at;
      raster.values.push_back(field.at(at[0], at[1], at[2]));
    }
  std::string where;
  if (plane.across >= 0)
    where = fmt::format(", {} = {:.4g}{}", g.axis(plane.across).name(), g.axis(plane.across).points()[plane.at],
                        d.length.unit.empty() ? "" : " " + pretty_unit(d.length.unit));
  plot.line("set title " + quoted(title_of(run, request) + ", t = " + time_text(run, record) + where));
  plot.line("set xlabel " + quoted(label(right.name(), d.length.unit)));
  plot.line("set ylabel " + quoted(label(up.name(), d.length.unit)));
  plot.line("set cblabel " + quoted(value_label(run)) + " offset 1");
  plot.line("set size ratio -1; set rmargin 14");
  auto range = request.range ? *request.range : run.range();
  const bool signed_field = !request.range && is_signed(d.value, range);
  draw_raster(plot, raster, range, signed_field);
}

FigureKind map_kind() {
  return {"map", [](const RunFolder& run, const FigureRequest& request, const Output& out) {
            plane_of(run, request);
            Gnuplot plot(out);
            draw_map_frame(plot, run, request, records_of(run, request, 1).back());
            plot.finish();
          }};
}

}  // namespace williwaw::plot
