#include "plot/panels.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace williwaw::plot {

namespace {

// Pixels: around all panels, between them, above each for its title, and beside all, or beside each, for a
// bar.
constexpr Real space_left = 96, space_below = 70, space_above = 64, space_between = 36, head = 30,
               bar_space = 150, own_bar = 120, least_panel = 24;

struct Layout {
  Index columns = 1;
  Real width = 0, height = 0;  ///< of a panel
};

// As large as panels of this shape can be.
Layout layout_of(const Output& out, Index count, Real aspect, Real between, Real beside) {
  Layout best;
  for (Index columns = 1; columns <= count; ++columns) {
    const Index rows = (count + columns - 1) / columns;
    const Real workspace_x = (out.width - space_left - beside - between * static_cast<Real>(columns - 1)) /
                             static_cast<Real>(columns);
    const Real workspace_y =
        (out.height - space_below - space_above - head * static_cast<Real>(rows)) / static_cast<Real>(rows);
    const Real width = std::min(workspace_x, workspace_y / aspect);
    if (width > best.width) best = {columns, width, width * aspect};
  }
  if (std::min(best.width, best.height) < least_panel)
    throw PlotError(
        fmt::format("{} pictures side by side do not fit into {}x{} pixels; a larger size is needed", count,
                    out.width, out.height));
  return best;
}

}  // namespace

void draw_panels(Gnuplot& plot, const Output& out, const Panels& all) {
  const auto count = static_cast<Index>(all.panels.size());
  const Raster& shape = all.panels.front().raster;
  const Real aspect = (shape.to_y - shape.from_y) / (shape.to_x - shape.from_x);
  const Real between = all.bar_for_each ? own_bar + space_between : space_between;
  const Layout layout = layout_of(out, count, aspect, between, bar_space);
  const Index rows = (count + layout.columns - 1) / layout.columns;
  const Real w = out.width, h = out.height;
  const Real wide = layout.width * static_cast<Real>(layout.columns) +
                    between * static_cast<Real>(layout.columns - 1),
             high = (layout.height + head) * static_cast<Real>(rows);
  const Real start_x = space_left + 0.5 * std::max(0.0, w - space_left - bar_space - wide),
             start_y = h - space_above - 0.5 * std::max(0.0, h - space_above - space_below - high);
  plot.line(fmt::format(
      "set tics font ',10'; set xlabel font ',11'; set ylabel font ',11'; set multiplot title {} font "
      "',15' textcolor rgb '{}' offset 0,-0.4",
      quoted(all.title), ink));
  for (Index n = 0; n < count; ++n) {
    const Panel& panel = all.panels[static_cast<std::size_t>(n)];
    const Index column = n % layout.columns, row = n / layout.columns;
    const Real x = start_x + static_cast<Real>(column) * (layout.width + between),
               top = start_y - head - static_cast<Real>(row) * (layout.height + head);
    Box box{x / w, (x + layout.width) / w, (top - layout.height) / h, top / h};
    box.bar = all.bar_for_each || n + 1 == count;
    const bool last_row = n + layout.columns >= count;
    plot.line(fmt::format("set title {} font ',11' offset 0,-0.6", quoted(panel.title)));
    plot.line(last_row
                  ? fmt::format("set xlabel {} font ',11' textcolor rgb '{}'", quoted(all.right_label), ink) +
                        "; set format x '%g'"
                  : "unset xlabel; set format x ''");
    plot.line(column == 0
                  ? fmt::format("set ylabel {} font ',11' textcolor rgb '{}'", quoted(all.up_label), ink) +
                        "; set format y '%g'"
                  : "unset ylabel; set format y ''");
    std::string bar;
    if (all.bar_for_each)
      bar = fmt::format("set colorbox vertical user origin {},{} size {},{}", (x + layout.width + 14) / w,
                        box.bottom, 14 / w, box.top - box.bottom);
    else if (box.bar)
      // The last one draws the bar of all, at the height of all.
      bar = fmt::format("set colorbox vertical user origin {},{} size 0.018,{}", (start_x + wide + 26) / w,
                        (start_y - high) / h, (high - head) / h);
    draw_raster(plot, panel.raster, panel.range, panel.signed_field, panel.bar_label, box, 0, all.over, bar);
  }
  plot.line("unset multiplot");
}

void draw_curves(Gnuplot& plot, const std::vector<NamedCurve>& curves, const char* pairs,
                 const std::vector<std::string>& not_drawn) {
  constexpr std::size_t colours = 6;
  std::string command = "plot ";
  std::vector<Real> numbers;
  for (std::size_t n = 0; n < curves.size(); ++n) {
    const Curve& c = curves[n].curve;
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using {} with lines lw 2.5 dt {} lc rgb '{}' title "
        "{}",
        n == 0 ? "" : ", ", c.position.size(), pairs, n < colours ? "solid" : "(9,6)",
        distinct(static_cast<Index>(n % colours)).hex(), quoted(curves[n].name));
    for (std::size_t i = 0; i < c.position.size(); ++i) {
      numbers.push_back(c.position[i]);
      numbers.push_back(c.value[i]);
    }
  }
  for (const std::string& name : not_drawn)
    command += ", keyentry with lines lw 0 lc rgb '" + std::string(ground) + "' title " + quoted(name);
  plot.line(command);
  plot.data(numbers);
}

std::string title_of_some(const std::string& title, std::size_t drawn, std::size_t all) {
  return drawn == all ? title : fmt::format("{} ({} of {})", title, drawn, all);
}

Plane middle_plane(const Grid& grid) {
  if (grid.dimension() == 2) return {0, 1};
  return {0, 1, 2, grid.size(2) / 2};
}

Panel difference_panel(const std::string& title, const Raster& first, const Raster& second,
                       const std::string& unit) {
  Raster difference = second;
  Real reach = 0;
  for (std::size_t n = 0; n < difference.values.size(); ++n) {
    difference.values[n] -= first.values[n];
    if (std::isfinite(difference.values[n])) reach = std::max(reach, std::abs(difference.values[n]));
  }
  // Two that are the same have a range too.
  if (!(reach > 0)) reach = 1e-12;
  return {title, std::move(difference), {-reach, reach}, true, label("difference", unit)};
}

}  // namespace williwaw::plot
