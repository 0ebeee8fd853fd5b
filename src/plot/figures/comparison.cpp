// A run and what it is compared with: lines for the run, points for the other; maps of planes.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/panels.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::plot {

namespace {

constexpr std::size_t most_times = 6, most_faces = 40;

struct Pair {
  std::string name;
  std::vector<Real> x, run, other;
};

// Values over the one axis at some of the times, or over time where they have no place.
std::vector<Pair> pairs_of(const study::Comparing& c) {
  std::vector<Pair> pairs;
  if (c.axes.empty()) {
    Pair pair{"", {}, {}, {}};
    for (const auto& at : c.times)
      for (const auto& v : at.values) {
        pair.x.push_back(at.time);
        pair.run.push_back(v.run);
        pair.other.push_back(v.other);
      }
    return {pair};
  }
  const int direction = c.axes[0] == "y" ? 1 : c.axes[0] == "z" ? 2 : 0;
  const std::size_t count = std::min(c.times.size(), most_times);
  for (std::size_t n = 0; n < count; ++n) {
    const auto& at = c.times[count < 2 ? 0 : n * (c.times.size() - 1) / (count - 1)];
    Pair pair{"t = " + casefile::readable(at.time, c.time_unit), {}, {}, {}};
    for (const auto& v : at.values) {
      pair.x.push_back(v.place[direction]);
      pair.run.push_back(v.run);
      pair.other.push_back(v.other);
    }
    pairs.push_back(std::move(pair));
  }
  return pairs;
}

// Both and their difference over a plane, at the last time.
bool draw_planes(const study::Comparing& c, const Output& out) {
  const RunFolder run(c.run);
  const Grid& grid = run.fields().grid();
  const study::ComparedTime& last = c.times.back();
  Field here(grid, NAN), there(grid, NAN);
  for (const auto& v : last.values) {
    const Index n = grid.containing(v.place);
    here[n] = v.run;
    there[n] = v.other;
  }
  // Places of a table are points, not a plane.
  const Field shape = run.fields().field(0);
  Index active = 0;
  for (Index n = 0; n < grid.count(); ++n) active += shape.is_left_out(n) ? 0 : 1;
  if (2 * static_cast<Index>(last.values.size()) < active) return false;
  here.extend();
  there.extend();
  const Plane plane = middle_plane(grid);
  const Raster first = raster_of(run, here, plane), second = raster_of(run, there, plane);
  std::pair<Real, Real> range{INFINITY, -INFINITY};
  for (const auto* raster : {&first, &second}) widen(range, raster->values);
  const auto& d = run.fields().description();
  const bool signed_field = is_signed(d.value, range);
  Panels all{fmt::format("{} against {}{}{}", c.run, c.other,
                         d.steady ? "" : ", t = " + casefile::readable(last.time, c.time_unit),
                         plane_text(run, plane)),
             label(grid.axis(plane.right).name(), c.length_unit),
             label(grid.axis(plane.up).name(), c.length_unit),
             {{c.run, first, range, signed_field, value_label(run)},
              {c.other, second, range, signed_field, value_label(run)}},
             region_lines(run, plane),
             true};
  all.panels.push_back(difference_panel("the run less the other", second, first, d.value.unit));
  Gnuplot plot(out);
  draw_panels(plot, out, all);
  plot.finish();
  return true;
}

}  // namespace

bool draw_comparison(const study::Comparing& c, const Output& out) {
  if (c.axes.size() > 1) return draw_planes(c, out);
  const std::vector<Pair> pairs = pairs_of(c);
  std::pair<Real, Real> range{INFINITY, -INFINITY};
  std::vector<std::string> entries;
  for (const auto& p : pairs) {
    for (const auto* values : {&p.run, &p.other}) widen(range, *values);
    entries.push_back(p.name.empty() ? "ending" : p.name);
  }
  entries.emplace_back("points: the other");
  range = padded(range);
  Gnuplot plot(out);
  plot.line("set title " + plot::quoted(c.run + " against " + c.other));
  const bool over_time = c.axes.empty();
  plot.line("set xlabel " +
            plot::quoted(over_time ? label("time", c.time_unit) : label(c.axes[0], c.length_unit)));
  plot.line("set ylabel " + plot::quoted(label(c.unknown, c.value_unit)));
  plot.line(fmt::format("set yrange [{}:{}]", range.first, range.second));
  plot.legend(entries);
  std::string command = "plot ";
  std::vector<Real> numbers;
  const auto count = static_cast<Index>(pairs.size());
  for (Index n = 0; n < count; ++n) {
    const Pair& p = pairs[static_cast<std::size_t>(n)];
    const std::string colour = curve(n, count).hex();
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using 1:2 with lines lw 2 lc rgb '{}' title {}",
        n == 0 ? "" : ", ", p.x.size(), colour, plot::quoted(entries[static_cast<std::size_t>(n)]));
    for (std::size_t i = 0; i < p.x.size(); ++i) {
      numbers.push_back(p.x[i]);
      numbers.push_back(p.run[i]);
    }
    // Some of many points, or the points would be a band.
    const std::size_t stride = std::max<std::size_t>(1, p.x.size() / most_faces);
    std::size_t faces = 0;
    for (std::size_t i = 0; i < p.x.size(); i += stride, ++faces) {
      numbers.push_back(p.x[i]);
      numbers.push_back(p.other[i]);
    }
    command += fmt::format(
        ", '-' binary record=({}) format='%double%double' using 1:2 with points pt 6 ps 1.1 lw 1.5 lc rgb "
        "'{}' {}",
        faces, colour, n + 1 == count ? "title 'points: the other'" : "notitle");
  }
  plot.line(command);
  plot.data(numbers);
  plot.finish();
  return true;
}

namespace {

void draw_comparison_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  try {
    const std::string other = other_of(request);
    if (!draw_comparison(study::compare(run.folder(), other), out))
      throw PlotError("comparison: the places of '" + other + "' are no plane to draw");
  } catch (const InputError& e) {
    throw PlotError(std::string("comparison: ") + e.what());
  }
}

std::string comparison_lacks(const FigureSource& source, const FigureRequest& request) {
  return other_of(request) == "exact" && !source.exact
             ? "an [exact] solution is needed, or of = a result folder or a table"
             : "";
}

}  // namespace

FigureKind figures::comparison() {
  return {
      .name = "comparison", .draw = draw_comparison_of_run, .lacks = comparison_lacks, .of = Shown::other};
}

}  // namespace williwaw::plot
