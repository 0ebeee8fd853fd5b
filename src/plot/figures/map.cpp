// Maps: the unknown over a plan, or over one plane of a block, equal lengths drawn equal.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/cut_outs.hpp"
#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {
constexpr Index fine_pixels = 400;
constexpr Index shades = 128;
// Dark enough on pale colours, pale enough on dark ones.
constexpr const char* between_materials = "#8f959b";

// 1, 2 or 5 times a power of ten, not above `most`.
Real round_step(Real most) {
  const Real power = std::pow(10, std::floor(std::log10(most)));
  return power * (most >= 5 * power ? 5 : most >= 2 * power ? 2 : 1);
}

}  // namespace

Raster raster_of(const RunFolder& run, const Field& field, const Plane& plane) {
  const bool cut = has_cut_outs(run, plane);
  const Grid& g = field.grid();
  const Axis &right = g.axis(plane.right), &up = g.axis(plane.up);
  const bool cells = g.unknowns() == Unknowns::cells;
  const auto count = [&](const Axis& a) {
    const Real longest = std::max(right.length(), up.length());
    const Index fine = std::clamp<Index>(std::llround(fine_pixels * a.length() / longest), 40, fine_pixels);
    // Every cell has as many pixels as the next.
    if (cells && a.is_uniform()) return cut ? a.size() * ((fine + a.size() - 1) / a.size()) : a.size();
    return std::max(fine, a.size());
  };
  Raster raster{count(right), count(up), right.from(), right.to(), up.from(), up.to(), {}};
  const auto middle = [](const Axis& a, Index pixel, Index pixels) {
    return a.from() + a.length() * (static_cast<Real>(pixel) + 0.5) / static_cast<Real>(pixels);
  };
  Point p;
  for (int axis = 0; axis < g.dimension(); ++axis) p[g.direction(axis)] = g.axis(axis).points()[0];
  if (plane.across >= 0) p[g.direction(plane.across)] = g.axis(plane.across).points()[plane.at];
  // Where each row and column lies among the cells does not depend on the other.
  const auto places = [&](int axis, Index pixels) {
    std::vector<Index> result;
    Point q = p;
    for (Index n = 0; cells && n < pixels; ++n) {
      q[g.direction(axis)] = middle(g.axis(axis), n, pixels);
      result.push_back(g.position(g.containing(q))[static_cast<std::size_t>(axis)]);
    }
    return result;
  };
  const auto columns = places(plane.right, raster.columns), rows = places(plane.up, raster.rows);
  std::array<Index, 3> at = cells ? g.position(g.containing(p)) : std::array<Index, 3>{};
  raster.values.reserve(static_cast<std::size_t>(raster.rows * raster.columns));
  for (Index r = 0; r < raster.rows; ++r)
    for (Index c = 0; c < raster.columns; ++c)
      if (cells) {
        at[static_cast<std::size_t>(plane.right)] = columns[static_cast<std::size_t>(c)];
        at[static_cast<std::size_t>(plane.up)] = rows[static_cast<std::size_t>(r)];
        raster.values.push_back(field[g.number(at[0], at[1], at[2])]);
      } else {
        p[g.direction(plane.right)] = middle(right, c, raster.columns);
        p[g.direction(plane.up)] = middle(up, r, raster.rows);
        raster.values.push_back(field.sample(p));
      }
  cut_at_outlines(raster, run, plane);
  return raster;
}

Plane plane_of(const RunFolder& run, const FigureRequest& request) {
  const Grid& g = run.fields().grid();
  if (g.dimension() == 2) return {0, 1};
  const Real position = run.fields().description().length.shown((*request.at)[g.direction(request.at_axis)]);
  return plane_across(g, request.at_axis, position);
}

Plane plane_across(const Grid& g, int across, Real position) {
  Plane p{across == 0 ? 1 : 0, across == 2 ? 1 : 2, across};
  const auto places = g.axis(across).points();
  p.at =
      std::ranges::min_element(places, {}, [&](Real q) { return std::abs(q - position); }) - places.begin();
  return p;
}

std::string plane_text(const RunFolder& run, const Plane& plane) {
  if (plane.across < 0) return "";
  const Axis& axis = run.fields().grid().axis(plane.across);
  const std::string& unit = run.fields().description().length.unit;
  return fmt::format(", {} = {:.4g}{}", axis.name(), axis.points()[plane.at],
                     unit.empty() ? "" : " " + pretty_unit(unit));
}

Box box_of(const Output& out, Real width, Real height, bool equal_lengths) {
  const Real w = out.width, h = out.height;
  // Room for labels and, beside or below, for the colour bar; less of it where that would leave no picture.
  const Real part = std::min({1.0, w / 500, h / 330});
  const Real left = 110 * part, top = 70 * part, beside = 190 * part, below = 90 * part,
             bar_below = 180 * part;
  const Real aspect = equal_lengths ? height / width : (h - top - below) / (w - left - beside);
  const bool flat = aspect < 0.3;
  const Real workspace_x = w - left - (flat ? 60 * part : beside),
             workspace_y = h - top - (flat ? bar_below : below);
  const Real box_w = std::min(workspace_x, workspace_y / aspect), box_h = box_w * aspect;
  const Real x = left + 0.5 * (workspace_x - box_w),
             y = (flat ? bar_below : below) + 0.5 * (workspace_y - box_h);
  return {x / w, (x + box_w) / w, y / h, (y + box_h) / h, flat};
}

void set_palette(Gnuplot& plot, std::pair<Real, Real> range, bool signed_field, Index bands) {
  std::string palette = "set palette defined (";
  const auto colour = [&](Real s) { return (signed_field ? diverging(s) : sequential(s)).hex(); };
  for (Index n = 0; bands == 0 && n <= shades; ++n)
    palette += fmt::format("{}{} '{}'", n == 0 ? "" : ", ", n, colour(static_cast<Real>(n) / shades));
  // Flat bands are steps of the palette.
  for (Index n = 0; n < bands; ++n) {
    const std::string c = colour(bands > 1 ? static_cast<Real>(n) / static_cast<Real>(bands - 1) : 0.5);
    palette += fmt::format("{}{} '{}', {} '{}'", n == 0 ? "" : ", ", n, c, n + 1, c);
  }
  plot.line(palette + ")");
  if (bands > 0) plot.line("set palette maxcolors 0");
  if (!(range.second > range.first)) range = padded(range);
  plot.line(fmt::format("set cbrange [{}:{}]", range.first, range.second));
}

void draw_raster(Gnuplot& plot, const Raster& raster, std::pair<Real, Real> range, bool signed_field,
                 const std::string& bar_label, const Box& box, Index bands, const std::vector<Lines>& over,
                 const std::string& bar_place) {
  set_palette(plot, range, signed_field, bands);
  plot.line(fmt::format("set format cb '%g'; set cbtics textcolor rgb '{}'; set cblabel {}", ink,
                        quoted(bar_label)));
  plot.line(
      fmt::format("set lmargin at screen {}; set rmargin at screen {}; set bmargin at screen {}; set tmargin "
                  "at screen {}",
                  box.left, box.right, box.bottom, box.top));
  if (!box.bar)
    plot.line("unset colorbox");
  else if (!bar_place.empty())
    plot.line(bar_place + "; set cblabel offset 1");
  else if (box.bar_below)
    plot.line(fmt::format("set colorbox horizontal user origin {},{} size {},0.025", box.left,
                          box.bottom - 0.165, box.right - box.left));
  else
    plot.line(fmt::format("set colorbox vertical user origin {},{} size 0.025,{}; set cblabel offset 1",
                          box.right + 0.02, box.bottom, box.top - box.bottom));
  if (box.top - box.bottom < 0.25)
    plot.line(fmt::format("set ytics {}", round_step((raster.to_y - raster.from_y) / 3)));
  // A tall, narrow picture has room for few numbers below it.
  if (box.right - box.left < 0.2)
    plot.line(fmt::format("set xtics {}", round_step((raster.to_x - raster.from_x) / 2)));
  plot.line("unset grid; set tics front; set key off");
  plot.line(fmt::format("set xrange [{}:{}]; set yrange [{}:{}]", raster.from_x, raster.to_x, raster.from_y,
                        raster.to_y));
  const Real dx = (raster.to_x - raster.from_x) / static_cast<Real>(raster.columns);
  const Real dy = (raster.to_y - raster.from_y) / static_cast<Real>(raster.rows);
  std::vector<Lines> lines = over;
  // What comes with lines of its own brings its outline too.
  if (lines.empty()) lines.push_back(outline_of(raster));
  std::string command = fmt::format(
      "plot '-' binary array=({},{}) origin=({},{}) dx={} dy={} format='%double' using 1 with image notitle",
      raster.columns, raster.rows, raster.from_x + dx / 2, raster.from_y + dy / 2, dx, dy);
  for (const Lines& l : lines)
    if (!l.segments.empty())
      command += fmt::format(
          ", '-' binary record=({}) format='%double%double%double%double' using 1:2:3:4 with vectors {} lw "
          "{} lc rgb '{}' notitle",
          l.segments.size() / 4, l.heads ? "head size screen 0.006,20 filled" : "nohead", l.width, l.colour);
  plot.line(command);
  plot.data(raster.values);
  for (const Lines& l : lines) plot.data(l.segments);
}

std::vector<Lines> region_lines(const RunFolder& run, const Plane& plane) {
  std::vector<Lines> result;
  const auto& outlines = run.fields().description().outlines;
  if (plane.across >= 0 || outlines.empty()) {
    if (Lines outline = smooth_outline_of(run, plane); !outline.segments.empty())
      result.push_back(std::move(outline));
    return result;
  }
  const Field shape = run.fields().field(0);
  // Between materials there is a line within the domain alone.
  const auto is_outside = [&](Real x, Real y) {
    Point middle;
    middle[shape.grid().direction(0)] = x;
    middle[shape.grid().direction(1)] = y;
    return shape.is_left_out(shape.grid().containing(middle));
  };
  for (const bool active : {true, false}) {
    Lines lines{{}, active ? 1.0 : 1.8, active ? between_materials : ink};
    for (const store::RegionOutline& outline : outlines)
      for (std::size_t n = 0; outline.active == active && n + 3 < outline.pieces.size(); n += 4) {
        const Real x = outline.pieces[n], y = outline.pieces[n + 1], dx = outline.pieces[n + 2] - x,
                   dy = outline.pieces[n + 3] - y;
        if (active && is_outside(x + 0.5 * dx, y + 0.5 * dy)) continue;
        lines.segments.insert(lines.segments.end(), {x, y, dx, dy});
      }
    if (!lines.segments.empty()) result.push_back(std::move(lines));
  }
  return result;
}

Lines outline_of(const Raster& raster) {
  Lines result{{}, 1.6, ink};
  const Real dx = (raster.to_x - raster.from_x) / static_cast<Real>(raster.columns);
  const Real dy = (raster.to_y - raster.from_y) / static_cast<Real>(raster.rows);
  const auto gone = [&](Index c, Index r) { return std::isnan(raster.values[r * raster.columns + c]); };
  for (Index r = 0; r < raster.rows; ++r)
    for (Index c = 0; c < raster.columns; ++c) {
      const Real x = raster.from_x + static_cast<Real>(c + 1) * dx,
                 y = raster.from_y + static_cast<Real>(r + 1) * dy;
      if (c + 1 < raster.columns && gone(c, r) != gone(c + 1, r))
        result.segments.insert(result.segments.end(), {x, y - dy, 0, dy});
      if (r + 1 < raster.rows && gone(c, r) != gone(c, r + 1))
        result.segments.insert(result.segments.end(), {x - dx, y, dx, 0});
    }
  return result;
}

void draw_map_frame(Gnuplot& plot, const RunFolder& run, const FigureRequest& request, Index record,
                    const Output& out, bool own_range) {
  const auto& reader = run.fields();
  const auto& d = reader.description();
  const Grid& g = reader.grid();
  const Plane plane = plane_of(run, request);
  const Field field = reader.field(record);
  const Axis &right = g.axis(plane.right), &up = g.axis(plane.up);
  plot.line("set title " + quoted(title_at(run, request, record) + plane_text(run, plane)));
  plot.line("set xlabel " + quoted(label(right.name(), d.length.unit)));
  plot.line("set ylabel " + quoted(label(up.name(), d.length.unit)));
  const Raster raster = raster_of(run, field, plane);
  const auto [range, signed_field] =
      own_range ? range_of(run, request, raster.values) : range_of(run, request);
  draw_raster(plot, raster, range, signed_field, value_label(run),
              box_of(out, right.length(), up.length(), true), 0, region_lines(run, plane));
}

namespace {

void draw_map_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  Gnuplot plot(out);
  draw_map_frame(plot, run, request, records_of(run, request, 1).back(), out, true);
  plot.finish();
}

}  // namespace

FigureKind figures::map() {
  return {.name = "map", .draw = draw_map_of_run, .lacks = lacks_plane, .one_time = true};
}

}  // namespace williwaw::plot
