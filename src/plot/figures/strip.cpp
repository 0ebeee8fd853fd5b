// Strips: the same plan at several times side by side, with one colour bar for all.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

constexpr Index most_panels = 24;
// Pixels: around all panels, between them, above each for its time, and beside all for the bar.
constexpr Real left = 70, below = 70, above = 64, gap = 36, head = 30, bar_space = 150;

struct Layout {
  Index columns = 1;
  Real width = 0, height = 0;  ///< of a panel
};

// As large as panels of this shape can be.
Layout layout_of(const Output& out, Index count, Real aspect) {
  Layout best;
  for (Index columns = 1; columns <= count; ++columns) {
    const Index rows = (count + columns - 1) / columns;
    const Real workspace_x =
        (out.width - left - bar_space - gap * static_cast<Real>(columns - 1)) / static_cast<Real>(columns);
    const Real workspace_y =
        (out.height - below - above - head * static_cast<Real>(rows)) / static_cast<Real>(rows);
    const Real width = std::min(workspace_x, workspace_y / aspect);
    if (width > best.width) best = {columns, width, width * aspect};
  }
  return best;
}

void draw_strip(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const Plane plane = plane_of(run, request);
  const auto& reader = run.fields();
  const auto& d = reader.description();
  const Axis &right = reader.grid().axis(plane.right), &up = reader.grid().axis(plane.up);
  const std::vector<Index> records = records_of(run, request, 6);
  const auto count = static_cast<Index>(records.size());
  if (count > most_panels)
    throw PlotError(fmt::format(
        "a strip shows up to {} times, not {}: give fewer, times = [..] or every = ..", most_panels, count));
  const Layout layout = layout_of(out, count, up.length() / right.length());
  const Index rows = (count + layout.columns - 1) / layout.columns;
  const auto [range, signed_field] = range_of(run, request);
  const Real w = out.width, h = out.height;
  const Real wide = layout.width * static_cast<Real>(layout.columns) +
                    gap * static_cast<Real>(layout.columns - 1),
             high = (layout.height + head) * static_cast<Real>(rows);
  const Real start_x = left + 0.5 * std::max(0.0, w - left - bar_space - wide),
             start_y = h - above - 0.5 * std::max(0.0, h - above - below - high);
  Gnuplot plot(out);
  plot.line(fmt::format(
      "set tics font ',10'; set xlabel font ',11'; set ylabel font ',11'; set multiplot title {} font "
      "',15' textcolor rgb '{}' offset 0,-0.4",
      quoted(title_of(run, request) + plane_text(run, plane)), ink));
  const std::vector<Lines> outlines = region_lines(run, plane);
  for (Index n = 0; n < count; ++n) {
    const Index column = n % layout.columns, row = n / layout.columns;
    const Real x = start_x + static_cast<Real>(column) * (layout.width + gap),
               top = start_y - head - static_cast<Real>(row) * (layout.height + head);
    Box box{x / w, (x + layout.width) / w, (top - layout.height) / h, top / h};
    box.bar = false;
    const bool last_row = n + layout.columns >= count;
    plot.line(
        fmt::format("set title {} font ',11' offset 0,-0.6", quoted("t = " + time_text(run, records[n]))));
    plot.line(last_row ? fmt::format("set xlabel {} font ',11' textcolor rgb '{}'",
                                     quoted(label(right.name(), d.length.unit)), ink) +
                             "; set format x '%g'"
                       : "unset xlabel; set format x ''");
    plot.line(column == 0 ? fmt::format("set ylabel {} font ',11' textcolor rgb '{}'",
                                        quoted(label(up.name(), d.length.unit)), ink) +
                                "; set format y '%g'"
                          : "unset ylabel; set format y ''");
    if (n + 1 == count) {
      // The last one draws the bar of all, at the height of the whole strip.
      box.bar = true;
      const Real bar_x = (start_x + wide + 26) / w;
      draw_raster(plot, raster_of(reader.field(records[n]), plane), range, signed_field, value_label(run),
                  box, 0, outlines,
                  fmt::format("set colorbox vertical user origin {},{} size 0.018,{}", bar_x,
                              (start_y - high) / h, (high - head) / h));
      continue;
    }
    draw_raster(plot, raster_of(reader.field(records[n]), plane), range, signed_field, value_label(run), box,
                0, outlines);
  }
  plot.line("unset multiplot");
  plot.finish();
}

}  // namespace

FigureKind figures::strip() {
  return {.name = "strip", .draw = draw_strip, .lacks = lacks_plane};
}

}  // namespace williwaw::plot
