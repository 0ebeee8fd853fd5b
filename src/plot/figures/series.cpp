// Series: probes, extremes, totals and flows over time.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

std::vector<std::size_t> columns_of(const RunFolder& run, const FigureRequest& request) {
  using store::SeriesRole;
  const store::RunSeries& series = run.series();
  if (!request.of.empty()) {
    // A column by its name, or all whose name starts with it: "flow" shows every boundary.
    if (const auto found = series.table().find(request.of)) return {*found};
    std::vector<std::size_t> result;
    for (std::size_t c = 1; c < series.table().columns.size(); ++c)
      if (series.column(c).name.starts_with(request.of)) result.push_back(c);
    if (!result.empty()) return result;
    throw PlotError("the series has no column called '" + request.of + "'; it has " + series.names());
  }
  const auto probes = series.all(SeriesRole::probe);
  if (!probes.empty()) return probes;
  std::vector<std::size_t> result;
  for (const char* name : {"minimum", "mean", "maximum"}) result.push_back(series.measures(name).at(0));
  return result;
}

// Lowest and highest number of columns from a row on.
std::pair<Real, Real> range_of(const store::Series& series, const std::vector<std::size_t>& columns,
                               std::size_t from) {
  std::pair<Real, Real> range{INFINITY, -INFINITY};
  for (const auto c : columns)
    for (std::size_t r = from; r < series.values[c].size(); ++r)
      if (const Real v = series.values[c][r]; std::isfinite(v))
        range = {std::min(range.first, v), std::max(range.second, v)};
  return range;
}

void draw_series_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const store::Series& series = run.series().table();
  const auto columns = columns_of(run, request);
  if (series.values[0].front() == series.values[0].back())
    throw PlotError("a series over time needs rows at two times at least; series.csv has the numbers");
  const std::string time_unit = run.fields().description().time.unit;
  const auto time = casefile::converted(series.values[0], series.columns[0].unit, time_unit);
  std::pair<Real, Real> range = range_of(series, columns, 0);
  if (!(range.second >= range.first)) throw PlotError("the series has no numbers for this figure");
  // Where data jump at the start the flow is unbounded there; it would flatten all that follows.
  const std::pair<Real, Real> later = range_of(series, columns, 1);
  const store::SeriesRole role = run.series().role(columns[0]);
  const bool jumps = role == store::SeriesRole::flow && later.second - later.first > 0 &&
                     later.second - later.first < 0.5 * (range.second - range.first);
  const std::pair<Real, Real> whole = range;
  if (jumps) range = later;
  range = request.range ? *request.range : padded(range);
  // Columns of one figure share an axis, so it is named by what they share.
  const bool one = columns.size() == 1;
  const std::string unit = series.columns[columns[0]].unit;
  const std::string what = one                                 ? series.columns[columns[0]].name
                           : role == store::SeriesRole::flow   ? "flow into the domain"
                           : role == store::SeriesRole::amount ? "amount that came in"
                                                               : run.fields().description().unknown;
  Gnuplot plot(out);
  plot.line("set title " + quoted(title_of(run, request)));
  plot.line("set xlabel " + quoted(label("time", time_unit)));
  plot.line("set ylabel " + quoted(label(what, unit)));
  plot.line(fmt::format("set yrange [{}:{}]", range.first, range.second));
  plot.line(fmt::format("set xrange [{}:{}]", time.front(), time.back()));
  if (jumps)
    plot.line(fmt::format(
        "set label 'at the start {:.4g}{}' at graph 0.02, graph {} left font ',11' textcolor rgb '{}'",
        whole.first < later.first ? whole.first : whole.second, unit.empty() ? "" : " " + pretty_unit(unit),
        whole.first < later.first ? 0.03 : 0.97, ink));
  std::vector<std::string> entries;
  for (const auto c : columns) entries.push_back(series.columns[c].name);
  plot.legend(entries);
  if (range.first < 0 && range.second > 0)
    plot.line(
        fmt::format("set arrow from graph 0, first 0 to graph 1, first 0 nohead lc rgb '{}' lw 1", faint));
  std::string command = "plot ";
  std::vector<Real> numbers;
  for (std::size_t n = 0; n < columns.size(); ++n) {
    std::size_t rows = 0;
    for (std::size_t r = 0; r < time.size(); ++r)
      if (std::isfinite(series.values[columns[n]][r])) {
        numbers.push_back(time[r]);
        numbers.push_back(series.values[columns[n]][r]);
        ++rows;
      }
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using 1:2 with lines lw 2.5 lc rgb '{}' "
        "title {}",
        n == 0 ? "" : ", ", rows, distinct(static_cast<Index>(n)).hex(),
        quoted(series.columns[columns[n]].name));
  }
  plot.line(command);
  plot.data(numbers);
  plot.finish();
}

}  // namespace

FigureKind figures::series() {
  return {.name = "series", .draw = draw_series_of_run, .of = Shown::column};
}

}  // namespace williwaw::plot
