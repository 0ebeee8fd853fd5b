// Several runs on one figure: series over each other, maps side by side.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/panels.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::plot {

namespace {

constexpr std::size_t most_maps = 12;

}  // namespace

void draw_series(const NamedRuns& runs, const std::string& column, const std::string& title,
                 const Output& out, const std::vector<std::string>& not_drawn) {
  std::vector<NamedCurve> curves;
  std::vector<std::string> entries = not_drawn;
  std::pair<Real, Real> range{INFINITY, -INFINITY};
  store::Column time, value;
  for (const auto& [name, folder] : spread_out(runs, most_curves_apart)) {
    const store::RunSeries run(folder / "series.csv");
    const auto found = run.table().find(column);
    if (!found)
      throw PlotError(folder.string() + ": the series has no column '" + column + "'; it has " + run.names());
    if (curves.empty()) {
      time = run.column(0);
      value = run.column(*found);
    }
    Curve curve;
    const auto times = casefile::converted(run.values(0), run.column(0).unit, time.unit);
    for (std::size_t row = 0; row < times.size(); ++row) {
      const Real v = run.values(*found)[row];
      if (!std::isfinite(v)) continue;
      curve.position.push_back(times[row]);
      curve.value.push_back(v);
    }
    widen(range, curve.value);
    curves.push_back({name, std::move(curve)});
    entries.push_back(name);
  }
  range = padded(range);
  Gnuplot plot(out);
  plot.line("set title " + plot::quoted(title_of_some(title, curves.size(), runs.size())));
  plot.line("set xlabel " + plot::quoted(label("time", time.unit)));
  plot.line("set ylabel " + plot::quoted(label(column, value.unit)));
  plot.line(fmt::format("set yrange [{}:{}]", range.first, range.second));
  plot.legend(entries);
  draw_curves(plot, curves, "1:2", not_drawn);
  plot.finish();
}

void draw_maps(const NamedRuns& runs, const std::string& title, const Output& out,
               const std::vector<std::string>& not_drawn) {
  Panels all;
  std::pair<Real, Real> range{INFINITY, -INFINITY};
  std::optional<store::Scale> scale;
  for (const auto& [name, folder] : spread_out(runs, most_maps)) {
    const RunFolder run(folder);
    const auto& d = run.fields().description();
    const Grid& grid = run.fields().grid();
    const Plane plane = middle_plane(grid);
    const auto last = static_cast<Index>(run.fields().times().size()) - 1;
    all.panels.push_back(
        {name, raster_of(run, run.fields().field(last), plane), {}, false, value_label(run)});
    widen(range, all.panels.back().raster.values);
    if (!scale) {
      scale = d.value;
      all.right_label = label(grid.axis(plane.right).name(), d.length.unit);
      all.up_label = label(grid.axis(plane.up).name(), d.length.unit);
      all.over = region_lines(run, plane);
      all.title = title + plane_text(run, plane);
    }
  }
  const std::size_t maps = all.panels.size();
  all.title = title_of_some(all.title, maps, runs.size());
  for (const std::string& name : not_drawn) all.title += "; not drawn: " + name;
  const bool signed_field = is_signed(*scale, range);
  for (Panel& panel : all.panels) {
    panel.range = range;
    panel.signed_field = signed_field;
  }
  // Rasters of grids that differ have no difference here.
  if (maps == 2 && all.panels[0].raster.values.size() == all.panels[1].raster.values.size() &&
      all.panels[0].raster.columns == all.panels[1].raster.columns) {
    all.bar_for_each = true;
    all.panels.push_back(difference_panel(all.panels[1].title + " less " + all.panels[0].title,
                                          all.panels[0].raster, all.panels[1].raster, scale->unit));
  }
  Gnuplot plot(out);
  draw_panels(plot, out, all);
  plot.finish();
}

}  // namespace williwaw::plot
