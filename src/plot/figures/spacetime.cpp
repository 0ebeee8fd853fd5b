// Space-time maps: position to the right, time upwards, the unknown as colour.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

constexpr Index pixels = 700;
// Fewer records are shown one by one: between them something may have moved on, and a mean of both would show
// it twice.
constexpr std::size_t enough_records = 60;

// Value of a curve at a position, linear between its points.
Real value_at(const Curve& c, Real position) {
  const auto above = std::ranges::upper_bound(c.position, position);
  if (above == c.position.begin()) return c.value.front();
  if (above == c.position.end()) return c.value.back();
  const auto n = static_cast<std::size_t>(above - c.position.begin());
  const Real fraction = (position - c.position[n - 1]) / (c.position[n] - c.position[n - 1]);
  return c.value[n - 1] + fraction * (c.value[n] - c.value[n - 1]);
}

std::string spacetime_lacks(const FigureSource& source, const FigureRequest& request) {
  if (source.steady) return "a steady state has no times";
  return lacks_line(source, request);
}

void draw_spacetime_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const auto& reader = run.fields();
  const auto& d = reader.description();
  const auto& times = reader.times();
  if (times.size() < 2) throw PlotError("a space-time map needs two records at least");
  std::vector<Curve> curves;
  for (Index r = 0; r < static_cast<Index>(times.size()); ++r)
    curves.push_back(curve_of(reader.field(r), request, d.length));
  const Real from = curves[0].position.front(), to = curves[0].position.back();
  Raster raster{pixels,
                std::min<Index>(pixels, 16 * static_cast<Index>(times.size())),
                from,
                to,
                times.front(),
                times.back(),
                {}};
  for (Index row = 0; row < raster.rows; ++row) {
    const Real t = times.front() + (times.back() - times.front()) * (static_cast<Real>(row) + 0.5) /
                                       static_cast<Real>(raster.rows);
    const auto n = std::clamp<Index>(std::ranges::upper_bound(times, t) - times.begin(), 1,
                                     static_cast<Index>(times.size()) - 1);
    const Real part = (t - times[n - 1]) / (times[n] - times[n - 1]);
    const Real fraction = times.size() >= enough_records ? part : std::round(part);
    for (Index column = 0; column < pixels; ++column) {
      const Real x = from + (to - from) * (static_cast<Real>(column) + 0.5) / pixels;
      raster.values.push_back((1 - fraction) * value_at(curves[n - 1], x) +
                              fraction * value_at(curves[n], x));
    }
  }
  Gnuplot plot(out);
  plot.line("set title " + quoted(title_of(run, request) +
                                  fmt::format(", t = {} to {}", time_text(run, 0),
                                              time_text(run, static_cast<Index>(times.size()) - 1))));
  plot.line("set xlabel " + quoted(position_label(run, request)));
  plot.line("set ylabel " + quoted(label("time", d.time.unit)));
  const auto [range, signed_field] = range_of(run, request);
  draw_raster(plot, raster, range, signed_field, value_label(run), box_of(out, 1, 1, false));
  plot.finish();
}

}  // namespace

FigureKind figures::spacetime() {
  return {.name = "spacetime", .draw = draw_spacetime_of_run, .lacks = spacetime_lacks};
}

}  // namespace williwaw::plot
