// Series: probes, extremes, totals and flows over time.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

// A first row beyond what follows, which would leave the rest less of the figure than this.
constexpr Real most_after_jump = 0.5;

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
  std::vector<std::size_t> result;
  // Columns share an axis: those in the unit of the first one.
  for (const std::size_t probe : series.all(SeriesRole::probe))
    if (result.empty() || series.column(probe).unit == series.column(result.front()).unit)
      result.push_back(probe);
  if (!result.empty()) return result;
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

// Of several samples: once round what lies between the quantiles of 10 and 90 % of each column, as pairs of
// time and value; none where some column has none.
std::vector<std::vector<Real>> bands_of(const RunFolder& run, const std::vector<std::size_t>& columns,
                                        const std::string& time_unit) {
  const auto file = run.folder() / "spread.csv";
  if (!std::filesystem::exists(file)) return {};
  const store::Series spread = store::read_series(file);
  const auto time = casefile::converted(spread.values[0], spread.columns[0].unit, time_unit);
  std::vector<std::vector<Real>> result;
  for (const std::size_t c : columns) {
    const std::string& name = run.series().column(c).name;
    const auto low = spread.find(name + lower_quantile), high = spread.find(name + upper_quantile);
    if (!low || !high) return {};
    std::vector<Real> band;
    const auto add = [&](std::size_t row, std::size_t column) {
      if (!std::isfinite(spread.values[column][row])) return;
      band.push_back(time[row]);
      band.push_back(spread.values[column][row]);
    };
    for (std::size_t row = 0; row < time.size(); ++row) add(row, *low);
    for (std::size_t row = time.size(); row-- > 0;) add(row, *high);
    result.push_back(std::move(band));
  }
  return result;
}

void draw_series_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const store::Series& series = run.series().table();
  const auto columns = columns_of(run, request);
  if (series.values[0].front() == series.values[0].back())
    throw PlotError("a series over time needs rows at two times at least; series.csv has the numbers");
  const std::string time_unit = run.fields().description().time.unit;
  const auto time = casefile::converted(series.values[0], series.columns[0].unit, time_unit);
  const std::vector<std::vector<Real>> bands = bands_of(run, columns, time_unit);
  std::pair<Real, Real> range = range_of(series, columns, 0);
  for (const auto& band : bands)
    for (std::size_t n = 1; n < band.size(); n += 2)
      range = {std::min(range.first, band[n]), std::max(range.second, band[n])};
  if (!(range.second >= range.first)) throw PlotError("the series has no numbers for this figure");
  // Where data jump at the start a flow is unbounded there, and what was there before flattens all that
  // follows.
  const std::pair<Real, Real> later = range_of(series, columns, 1);
  const store::SeriesRole role = run.series().role(columns[0]);
  const bool jumps = role != store::SeriesRole::amount && later.second - later.first > 0 &&
                     later.second - later.first < most_after_jump * (range.second - range.first);
  const std::pair<Real, Real> whole = range;
  if (jumps) range = later;
  range = request.range ? *request.range : padded(range);
  // Columns of one figure share an axis, so it is named by what they share.
  const bool one = columns.size() == 1;
  const std::string unit = series.columns[columns[0]].unit;
  const std::string& first = series.columns[columns[0]].name;
  const std::string what = one && role == store::SeriesRole::flow ? first + ", into the domain"
                           : one                                  ? first
                           : role == store::SeriesRole::flow      ? "flow into the domain"
                           : role == store::SeriesRole::amount    ? "amount that came in"
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
  if (!bands.empty()) entries.emplace_back(band_entry);
  plot.legend(entries);
  if (range.first < 0 && range.second > 0)
    plot.line(
        fmt::format("set arrow from graph 0, first 0 to graph 1, first 0 nohead lc rgb '{}' lw 1", faint));
  std::string command = "plot ";
  std::vector<Real> numbers;
  for (std::size_t n = 0; n < bands.size(); ++n) {
    command += fmt::format(
        "'-' binary record=({}) format='%double%double' using 1:2 with filledcurves closed fs transparent "
        "solid {} noborder lc rgb '{}' {}, ",
        bands[n].size() / 2, band_opacity, distinct(static_cast<Index>(n)).hex(),
        n == 0 ? "title " + quoted(band_entry) : "notitle");
    numbers.insert(numbers.end(), bands[n].begin(), bands[n].end());
  }
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
