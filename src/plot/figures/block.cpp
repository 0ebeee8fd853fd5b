// Pictures in perspective: a plan as a surface, and planes and outer faces of a block.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

constexpr Index most_points = 90;     // along an edge of what is drawn
constexpr Index finest_points = 200;  // of a surface alone

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
  const Index most = raised ? finest_points : most_points;
  const Grid& g = field.grid();
  const auto count = [&](int a) { return std::min<Index>(most, 2 * g.axis(a).size() + 1); };
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

std::vector<Real> values_of(const std::vector<Sheet>& sheets) {
  std::vector<Real> result;
  for (const Sheet& sheet : sheets)
    for (std::size_t n = 3; n < sheet.points.size(); n += 4) result.push_back(sheet.points[n]);
  return result;
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

void set_stage(Gnuplot& plot, const RunFolder& run, const std::string& title, std::pair<Real, Real> range,
               bool signed_field) {
  plot.line("set title " + quoted(title));
  set_palette(plot, range, signed_field);
  plot.line(
      fmt::format("set cbtics textcolor rgb '{}'; set cblabel {} offset 1", ink, quoted(value_label(run))));
  plot.line(
      fmt::format("set border 4095 lc rgb '{}' lw 0.8; set ticslevel 0; unset grid; set key off", faint));
  plot.line("set pm3d depthorder interpolate 2,2; set colorbox vertical user origin 0.9,0.2 size 0.02,0.6");
  plot.line(
      "set lmargin at screen 0.08; set rmargin at screen 0.84; set bmargin at screen 0.06; set tmargin at "
      "screen 0.92");
}

// How much of a condition there is to be seen on a boundary.
int interest_of(const std::string& condition) {
  if (condition == "dirichlet" || condition == "driven") return 2;
  return condition == "insulated" || condition == "free" || condition == "periodic" ? 0 : 1;
}

// From where a block is seen: the azimuth of who looks, in degrees from the first axis towards the second,
// and the height above the horizon. Unless told otherwise from those sides on which most is prescribed;
// without a difference from the south-east and above.
std::array<Real, 2> view_of(const RunFolder& run, const FigureRequest& request) {
  if (request.view) return *request.view;
  std::map<std::string, int> interest;
  if (std::filesystem::exists(run.folder() / "series.csv"))
    for (const auto& line : run.series().lines())
      if (const auto colon = line.name.find(": "); line.boundary && colon != std::string::npos)
        interest[line.name.substr(0, colon)] = interest_of(line.name.substr(colon + 2));
  const auto prefers = [&](int axis, bool upper) {
    const Grid& g = run.fields().grid();
    return interest[g.side_name({axis, upper})] > interest[g.side_name({axis, !upper})];
  };
  const bool west = prefers(0, false), north = prefers(1, true), below = prefers(2, false);
  const Real across = west ? (north ? 125 : -125) : (north ? 55 : -55);
  return {across, below ? -28.0 : 28.0};
}

void set_view(Gnuplot& plot, const std::array<Real, 2>& view, const std::string& scales) {
  const Real turned = std::fmod(view[0] + 90 + 720, 360);
  plot.line(fmt::format("set view {},{},{}", 90 - view[1], turned, scales));
}

// Equal lengths drawn equal unless the block is very flat.
void set_block(Gnuplot& plot, const RunFolder& run, const FigureRequest& request) {
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
  set_view(plot, view_of(run, request), "1.15");
  plot.line("set xyplane at " + fmt::format("{}", g.axis(2).from()));
  plot.line("set xlabel offset 0,-0.5; set ylabel offset 1,-0.5; set zlabel rotate");
}

// What a surface stands on: the labels and ranges of both axes; and its title.
struct Ground {
  std::string title, right, up;
  std::pair<Real, Real> along_right, along_up;
};

void draw_surface(Gnuplot& plot, const RunFolder& run, const FigureRequest& request, const Sheet& sheet,
                  const Ground& ground) {
  const auto [range, signed_field] = range_of(run, request, values_of({sheet}));
  set_stage(plot, run, ground.title, range, signed_field);
  plot.line("set xlabel " + quoted(ground.right) + "; set ylabel " + quoted(ground.up));
  plot.line("set zlabel " + quoted(value_label(run)) + " rotate offset -1");
  const auto [low, high] = padded(range);
  plot.line(fmt::format("set zrange [{}:{}]; set xrange [{}:{}]; set yrange [{}:{}]", low, high,
                        ground.along_right.first, ground.along_right.second, ground.along_up.first,
                        ground.along_up.second));
  // Facets of one sheet have an order by themselves; sorted by their middles those of peaks tear its edges.
  plot.line("set pm3d scansautomatic interpolate 1,1");
  set_view(plot, request.view.value_or(std::array{-55.0, 32.0}), "0.82,1.05");
  plot.line("set border 127 lw 0.8; set xyplane 0");
  plot.line("unset lmargin; unset rmargin; unset bmargin; unset tmargin; set origin 0,0; set size 0.92,0.96");
}

// Over space and time, where there is one axis or a line.
void draw_surface_in_time(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const auto& reader = run.fields();
  const auto& d = reader.description();
  const std::vector<Index> records = records_of(run, request, finest_points);
  if (records.size() < 2) throw PlotError("a surface over space and time needs two records at least");
  Sheet sheet;
  sheet.rows = static_cast<Index>(records.size());
  std::pair<Real, Real> positions;
  for (const Index r : records) {
    const Curve curve = curve_of(reader.field(r), request, d.length);
    const std::size_t count = curve.position.size(),
                      columns = std::min(count, static_cast<std::size_t>(finest_points));
    sheet.columns = static_cast<Index>(columns);
    positions = {curve.position.front(), curve.position.back()};
    for (std::size_t n = 0; n < columns; ++n) {
      const std::size_t at = columns < 2 ? 0 : n * (count - 1) / (columns - 1);
      const Real v = curve.value[at];
      sheet.points.insert(sheet.points.end(),
                          {curve.position[at], reader.times()[static_cast<std::size_t>(r)], v, v});
    }
  }
  const auto time = [&](Index r) { return reader.times()[static_cast<std::size_t>(r)]; };
  Gnuplot plot(out);
  draw_surface(plot, run, request, sheet,
               {title_of(run, request),
                position_label(run, request),
                label("time", d.time.unit),
                positions,
                {time(records.front()), time(records.back())}});
  draw_sheets(plot, {sheet});
  plot.finish();
}

bool over_time(const FigureSource& source, const FigureRequest& request) {
  return source.dimension == 1 || request.along;
}

void draw_surface_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  if (over_time(source_of(run), request)) return draw_surface_in_time(run, request, out);
  const Plane plane = plane_of(run, request);
  const Grid& g = run.fields().grid();
  const auto& d = run.fields().description();
  const Index record = records_of(run, request, 1).back();
  const Sheet sheet = sheet_of(run.fields().field(record), plane.right, plane.up, plane.across,
                               plane.across >= 0 ? g.axis(plane.across).points()[plane.at] : 0, true);
  const auto ends = [](const Axis& axis) { return std::pair{axis.from(), axis.to()}; };
  const Axis &right = g.axis(plane.right), &up = g.axis(plane.up);
  Gnuplot plot(out);
  draw_surface(plot, run, request, sheet,
               {title_at(run, request, record) + plane_text(run, plane), label(right.name(), d.length.unit),
                label(up.name(), d.length.unit), ends(right), ends(up)});
  draw_sheets(plot, {sheet});
  plot.finish();
}

std::string surface_lacks(const FigureSource& source, const FigureRequest& request) {
  if (!over_time(source, request)) return lacks_plane(source, request);
  return source.steady ? "a steady state has no times, and over one axis there are profiles" : "";
}

}  // namespace

FigureKind figures::surface() {
  return {.name = "surface",
          .draw = draw_surface_of_run,
          .lacks = surface_lacks,
          .one_time = true,
          .all_times = over_time,
          .perspective = true};
}

namespace {

// Planes across the axes of a block; `positions` tells where along each axis.
void draw_planes(const RunFolder& run, const FigureRequest& request, const Output& out,
                 const std::function<std::vector<Real>(int)>& positions) {
  const Index record = records_of(run, request, 1).back();
  const Field field = run.fields().field(record);
  std::vector<Sheet> sheets;
  for (int a = 0; a < 3; ++a)
    for (const Real position : positions(a))
      sheets.push_back(sheet_of(field, a == 0 ? 1 : 0, a == 2 ? 1 : 2, a, position, false));
  const auto [range, signed_field] = range_of(run, request, values_of(sheets));
  Gnuplot plot(out);
  set_stage(plot, run, title_at(run, request, record), range, signed_field);
  set_block(plot, run, request);
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
  return {.name = "slices",
          .draw = draw_slices_of_run,
          .lacks = lacks_block,
          .one_time = true,
          .perspective = true};
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
  return {.name = "outer-faces",
          .draw = draw_outer_faces_of_run,
          .lacks = lacks_block,
          .one_time = true,
          .perspective = true};
}

}  // namespace williwaw::plot
