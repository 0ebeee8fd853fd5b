// Strips: the same plan at several times side by side, with one colour bar for all.
#include <fmt/format.h>

#include "plot/panels.hpp"

namespace williwaw::plot {

namespace {

constexpr Index most_panels = 24;

std::string too_many(Index count) {
  return fmt::format("a strip shows up to {} times, not {}: give fewer, times = [..] or every = ..",
                     most_panels, count);
}

void draw_strip(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const Plane plane = plane_of(run, request);
  const auto& reader = run.fields();
  const auto& d = reader.description();
  const Axis &right = reader.grid().axis(plane.right), &up = reader.grid().axis(plane.up);
  const std::vector<Index> records = records_of(run, request, 6);
  const auto count = static_cast<Index>(records.size());
  if (count > most_panels) throw PlotError(too_many(count));
  const auto [range, signed_field] = range_of(run, request);
  Panels all{title_of(run, request) + plane_text(run, plane),
             label(right.name(), d.length.unit),
             label(up.name(), d.length.unit),
             {},
             region_lines(run, plane)};
  for (const Index record : records)
    all.panels.push_back({"t = " + time_text(run, record), raster_of(run, reader.field(record), plane), range,
                          signed_field, value_label(run)});
  Gnuplot plot(out);
  draw_panels(plot, out, all);
  plot.finish();
}

}  // namespace

namespace {

std::string strip_lacks(const FigureSource& source, const FigureRequest& request) {
  // A case records all times that it asks for; of a run that was made several may mean one record.
  const auto count = request.place.empty() ? 0 : static_cast<Index>(request.times.size());
  return count > most_panels ? too_many(count) : lacks_plane(source, request);
}

}  // namespace

FigureKind figures::strip() {
  return {.name = "strip", .draw = draw_strip, .lacks = strip_lacks};
}

}  // namespace williwaw::plot
