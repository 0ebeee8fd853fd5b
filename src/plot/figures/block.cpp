// Pictures in perspective: a plan as a surface, and planes and outer faces of a block.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

constexpr Index most_points = 90;  // along an edge of what is drawn

// Corners of patches: values at even places from end to end of two axes.
struct Sheet {
  Index columns = 0, rows = 0;
  std::vector<Real> points;  ///< x, y, z, value for each
};

// Value at a place; not a number where the domain is cut out.
Real value_at(const Field& field, const Point& p) {
  return std::isnan(field[field.grid().containing(p)]) ? std::nan("") : field.sample(p);
}

Sheet sheet_of(const Field& field, int right, int up, int across, Real position, bool raised) {
  const Grid& g = field.grid();
  const auto count = [&](int a) { return std::min<Index>(most_points, 2 * g.axis(a).size() + 1); };
  Sheet sheet{count(right), count(up), {}};
  for (Index r = 0; r < sheet.rows; ++r)
    for (Index c = 0; c < sheet.columns; ++c) {
      Point p;
      p[g.direction(right)] = g.axis(right).from() + g.axis(right).length() * static_cast<Real>(c) /
                                                         static_cast<Real>(sheet.columns - 1);
      p[g.direction(up)] =
          g.axis(up).from() + g.axis(up).length() * static_cast<Real>(r) / static_cast<Real>(sheet.rows - 1);
      if (across >= 0) p[g.direction(across)] = position;
      const Real v = value_at(field, p);
      if (raised)
        sheet.points.insert(sheet.points.end(), {p[g.direction(right)], p[g.direction(up)], v, v});
      else
        sheet.points.insert(sheet.points.end(), {p.x, p.y, p.z, v});
    }
  return sheet;
}

void draw_sheets(Gnuplot& plot, const std::vector<Sheet>& sheets) {
  std::string command = "splot ";
  for (std::size_t n = 0; n < sheets.size(); ++n)
    command += fmt::format(
        "{}'-' binary record=({},{}) format='%double%double%double%double' using 1:2:3:4 with pm3d notitle",
        n == 0 ? "" : ", ", sheets[n].columns, sheets[n].rows);
  plot.line(command);
  for (const Sheet& s : sheets) plot.data(s.points);
}

void set_stage(Gnuplot& plot, const RunFolder& run, const FigureRequest& request, Index record,
               std::pair<Real, Real> range, bool signed_field) {
  plot.line("set title " + quoted(title_at(run, request, record)));
  set_palette(plot, range, signed_field);
  plot.line(
      fmt::format("set cbtics textcolor rgb '{}'; set cblabel {} offset 1", ink, quoted(value_label(run))));
  plot.line(
      fmt::format("set border 4095 lc rgb '{}' lw 0.8; set ticslevel 0; unset grid; set key off", faint));
  plot.line("set pm3d depthorder interpolate 1,1; set colorbox vertical user origin 0.9,0.2 size 0.02,0.6");
  plot.line(
      "set lmargin at screen 0.08; set rmargin at screen 0.84; set bmargin at screen 0.06; set tmargin at "
      "screen 0.92");
}

// A block seen from the south-east and above, equal lengths drawn equal unless it is very flat.
void set_block(Gnuplot& plot, const RunFolder& run) {
  const Grid& g = run.fields().grid();
  const std::string& unit = run.fields().description().length.unit;
  const char* letters = "xyz";
  Real longest = 0, shortest = INFINITY;
  for (int a = 0; a < 3; ++a) {
    longest = std::max(longest, g.axis(a).length());
    shortest = std::min(shortest, g.axis(a).length());
    plot.line(fmt::format("set {}range [{}:{}]; set {}label {}", letters[a], g.axis(a).from(), g.axis(a).to(),
                          letters[a], quoted(label(g.axis(a).name(), unit))));
  }
  if (shortest > 0.05 * longest) plot.line("set view equal xyz");
  plot.line("set view 62,35,1.15; set xyplane at " + fmt::format("{}", g.axis(2).from()));
  plot.line("set xlabel offset 0,-0.5; set ylabel offset 1,-0.5; set zlabel rotate");
}

void draw_surface_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const Plane plane = plane_of(run, request);
  const Grid& g = run.fields().grid();
  const auto& d = run.fields().description();
  const Index record = records_of(run, request, 1).back();
  const auto [range, signed_field] = range_of(run, request);
  const Sheet sheet = sheet_of(run.fields().field(record), plane.right, plane.up, plane.across,
                               plane.across >= 0 ? g.axis(plane.across).points()[plane.at] : 0, true);
  Gnuplot plot(out);
  set_stage(plot, run, request, record, range, signed_field);
  plot.line("set title " + quoted(title_at(run, request, record) + plane_text(run, plane)));
  plot.line("set xlabel " + quoted(label(g.axis(plane.right).name(), d.length.unit)));
  plot.line("set ylabel " + quoted(label(g.axis(plane.up).name(), d.length.unit)));
  plot.line("set zlabel " + quoted(value_label(run)) + " rotate offset -1");
  const auto [low, high] = padded(range);
  plot.line(fmt::format("set zrange [{}:{}]; set xrange [{}:{}]; set yrange [{}:{}]", low, high,
                        g.axis(plane.right).from(), g.axis(plane.right).to(), g.axis(plane.up).from(),
                        g.axis(plane.up).to()));
  plot.line("set view 58,35,0.82,1.05; set border 127 lw 0.8; set xyplane 0");
  plot.line("unset lmargin; unset rmargin; unset bmargin; unset tmargin; set origin 0,0; set size 0.92,0.96");
  draw_sheets(plot, {sheet});
  plot.finish();
}

}  // namespace

FigureKind figures::surface() {
  return {.name = "surface", .draw = draw_surface_of_run, .lacks = lacks_plane, .one_time = true};
}

namespace {

// Planes across the axes of a block; `positions` tells where along each axis.
void draw_planes(const RunFolder& run, const FigureRequest& request, const Output& out,
                 const std::function<std::vector<Real>(int)>& positions) {
  const Index record = records_of(run, request, 1).back();
  const Field field = run.fields().field(record);
  const auto [range, signed_field] = range_of(run, request);
  std::vector<Sheet> sheets;
  for (int a = 0; a < 3; ++a)
    for (const Real position : positions(a))
      sheets.push_back(sheet_of(field, a == 0 ? 1 : 0, a == 2 ? 1 : 2, a, position, false));
  Gnuplot plot(out);
  set_stage(plot, run, request, record, range, signed_field);
  set_block(plot, run);
  draw_sheets(plot, sheets);
  plot.finish();
}

// One plane across each axis, half-way or where it was asked for.
void draw_slices_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  draw_planes(run, request, out, [&](int a) -> std::vector<Real> {
    const Axis& axis = run.fields().grid().axis(a);
    if (request.at && request.at_axis == a)
      return {run.fields().description().length.shown((*request.at)[run.fields().grid().direction(a)])};
    return {0.5 * (axis.from() + axis.to())};
  });
}

}  // namespace

FigureKind figures::slices() {
  return {.name = "slices", .draw = draw_slices_of_run, .lacks = lacks_block, .one_time = true};
}

namespace {

void draw_outer_faces_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  draw_planes(run, request, out, [&](int a) -> std::vector<Real> {
    const Axis& axis = run.fields().grid().axis(a);
    return {axis.from(), axis.to()};
  });
}

}  // namespace

FigureKind figures::outer_faces() {
  return {.name = "outer-faces", .draw = draw_outer_faces_of_run, .lacks = lacks_block, .one_time = true};
}

}  // namespace williwaw::plot
