// Profiles: the unknown along an axis or a line, one curve for each time.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "plot/panels.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::plot {

namespace {
constexpr Index most_curves = 12;
constexpr Index samples = 400;

std::string entry(const RunFolder& run, Index record) {
  return (run.fields().description().steady ? "" : "t = ") + time_text(run, record);
}
}  // namespace

Curve curve_of(const Field& field, const FigureRequest& request, const store::Scale& length) {
  Curve c;
  if (request.along) {
    Point from = request.along->first, to = request.along->second;
    Real distance = 0;
    for (int s = 0; s < 3; ++s) distance += std::pow(length.shown_difference(to[s] - from[s]), 2);
    for (Index n = 0; n <= samples; ++n) {
      const Real fraction = static_cast<Real>(n) / samples;
      Point p;
      for (int s = 0; s < 3; ++s) p[s] = length.shown(from[s] + fraction * (to[s] - from[s]));
      c.position.push_back(fraction * std::sqrt(distance));
      c.value.push_back(field.sample(p));
    }
    return c;
  }
  const Axis& axis = field.grid().axis(0);
  const bool to_boundaries = axis.unknowns() == Unknowns::cells && !axis.periodic();
  if (to_boundaries) {
    c.position.push_back(axis.from());
    c.value.push_back(0.5 * (field.at(-1) + field.at(0)));
  }
  for (Index i = 0; i < axis.size(); ++i) {
    c.position.push_back(axis.points()[i]);
    c.value.push_back(field.at(i));
  }
  if (to_boundaries) {
    c.position.push_back(axis.to());
    c.value.push_back(0.5 * (field.at(axis.size() - 1) + field.at(axis.size())));
  } else if (axis.periodic()) {
    c.position.push_back(axis.points()[0] + axis.length());
    c.value.push_back(field.at(0));
  }
  return c;
}

std::string position_label(const RunFolder& run, const FigureRequest& request) {
  const auto& d = run.fields().description();
  return label(request.along ? "distance along the line" : run.fields().grid().axis(0).name(), d.length.unit);
}

namespace {

// A column stands upright: its z axis points upwards, values go to the right.
bool stands(const RunFolder& run, const FigureRequest& request) {
  return !request.along && run.fields().grid().axis(0).name() == "z";
}

// Labels and ranges of positions and values, and how gnuplot reads pairs of both.
const char* lay_out_axes(Gnuplot& plot, bool upright, const std::string& position, const std::string& value,
                         std::pair<Real, Real> positions, std::pair<Real, Real> values) {
  const char *across = upright ? "y" : "x", *up = upright ? "x" : "y";
  plot.line(fmt::format("set {}label {}", across, quoted(position)));
  plot.line(fmt::format("set {}label {}", up, quoted(value)));
  plot.line(fmt::format("set {}range [{}:{}]; set {}range [{}:{}]", up, values.first, values.second, across,
                        positions.first, positions.second));
  return upright ? "2:1" : "1:2";
}

}  // namespace

namespace {

// Quantiles of 10 and 90 % of several samples are there beside what a run shows.
bool has_quantiles(const RunFolder& run) {
  const auto names = run.fields().quantities();
  return std::ranges::all_of(std::array{lower_quantile, upper_quantile}, [&](const std::string& quantile) {
    return std::ranges::find(names, run.fields().description().unknown + quantile) != names.end();
  });
}

// Once round what lies between them at a record.
Curve band_of(const RunFolder& run, const FigureRequest& request, Index record) {
  const auto curve_at = [&](const std::string& quantile) {
    const store::FieldReader reader(run.fields().file(), run.fields().description().unknown + quantile);
    return curve_of(reader.field(record), request, run.fields().description().length);
  };
  Curve band = curve_at(lower_quantile);
  const Curve back = curve_at(upper_quantile);
  band.position.insert(band.position.end(), back.position.rbegin(), back.position.rend());
  band.value.insert(band.value.end(), back.value.rbegin(), back.value.rend());
  return band;
}

}  // namespace

void draw_profile_frame(Gnuplot& plot, const RunFolder& run, const FigureRequest& request,
                        const std::vector<Index>& records, bool own_range) {
  const auto& length = run.fields().description().length;
  std::vector<Curve> curves;
  for (const Index r : records) curves.push_back(curve_of(run.fields().field(r), request, length));
  // Of the last record alone: several bands would hide each other.
  std::vector<Curve> bands;
  if (has_quantiles(run)) bands.push_back(band_of(run, request, records.back()));
  std::pair<Real, Real> range = own_range ? std::pair<Real, Real>{INFINITY, -INFINITY} : run.range();
  for (const Curve& c : curves)
    if (own_range) widen(range, c.value);
  for (const Curve& band : bands) widen(range, band.value);
  range = request.range ? *request.range : padded(range);
  const char* const pairs =
      lay_out_axes(plot, stands(run, request), position_label(run, request), value_label(run),
                   {curves[0].position.front(), curves[0].position.back()}, range);
  std::string command = "plot ";
  const Index count = static_cast<Index>(records.size());
  for (const Curve& band : bands)
    command += fmt::format(
        "'-' binary record=({}) format='%double%double' using {} with filledcurves closed fs transparent "
        "solid {} noborder lc rgb '{}' title {}, ",
        band.position.size(), pairs, band_opacity, curve(count - 1, count).hex(), quoted(band_entry));
  for (Index n = 0; n < count; ++n) {
    // Few unknowns are shown as what they are; many would only make the curve thick.
    const bool marked = !request.along && curves[n].position.size() <= 40;
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using {} with {} lw {} {}lc rgb '{}' title {}",
        n == 0 ? "" : ", ", curves[n].position.size(), pairs, marked ? "linespoints" : "lines",
        n + 1 == count ? 3 : 2, marked ? "pt 7 ps 0.5 " : "", curve(n, count).hex(),
        quoted(entry(run, records[n])));
  }
  plot.line(command);
  bands.insert(bands.end(), curves.begin(), curves.end());
  for (const auto& c : bands)
    for (std::size_t i = 0; i < c.position.size(); ++i) plot.data(std::array{c.position[i], c.value[i]});
}

void draw_profiles(const NamedRuns& runs, const FigureRequest& request, const std::string& title,
                   const Output& out, const std::vector<std::string>& not_drawn) {
  std::vector<NamedCurve> curves;
  std::vector<std::string> entries = not_drawn;
  std::pair<Real, Real> range{INFINITY, -INFINITY}, positions = range;
  std::string across, up;
  bool upright = false;
  for (const auto& [name, folder] : spread_out(runs, most_curves_apart)) {
    const RunFolder run(folder);
    const Index last = static_cast<Index>(run.fields().times().size()) - 1;
    curves.push_back({name, curve_of(run.fields().field(last), request, run.fields().description().length)});
    const Curve& c = curves.back().curve;
    widen(range, c.value);
    positions = {std::min(positions.first, c.position.front()),
                 std::max(positions.second, c.position.back())};
    entries.push_back(name);
    across = position_label(run, request);
    up = value_label(run);
    upright = stands(run, request);
  }
  range = request.range ? *request.range : padded(range);
  Gnuplot plot(out);
  plot.line("set title " + plot::quoted(title_of_some(title, curves.size(), runs.size())));
  const char* const pairs = lay_out_axes(plot, upright, across, up, positions, range);
  plot.legend(entries);
  draw_curves(plot, curves, pairs, not_drawn);
  plot.finish();
}

namespace {

void draw_profiles_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  std::vector<Index> records = records_of(run, request, 6);
  while (static_cast<Index>(records.size()) > most_curves && request.times.empty()) {
    // Every other one, keeping the end.
    std::vector<Index> fewer;
    for (std::size_t n = records.size() % 2 ? 0 : 1; n < records.size(); n += 2) fewer.push_back(records[n]);
    records = fewer;
  }
  Gnuplot plot(out);
  plot.line("set title " +
            quoted(title_of(run, request) + (records.size() == 1 ? ", " + entry(run, records[0]) : "")));
  std::vector<std::string> entries;
  for (const Index r : records) entries.push_back(entry(run, r));
  if (has_quantiles(run)) entries.emplace_back(band_entry);
  plot.legend(entries);
  draw_profile_frame(plot, run, request, records, true);
  plot.finish();
}

}  // namespace

FigureKind figures::profiles() {
  return {.name = "profiles", .draw = draw_profiles_of_run, .lacks = lacks_line};
}

}  // namespace williwaw::plot
