// The budget as bars: what came in through each boundary and from each source, and what is there more than
// before.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

struct Bar {
  std::string name;
  Real amount;
};

// What came in until the last row. A steady state has one row, whose flows take the place of amounts.
std::vector<Bar> bars_of(const RunFolder& run) {
  const store::RunSeries& series = run.series();
  const bool steady = run.fields().description().steady;
  std::vector<Bar> bars;
  for (const auto& line : series.lines()) {
    // Stages that do not have a line leave it empty: the last number counts.
    const auto& column = series.values(steady ? line.flow : line.amount);
    const auto last = std::find_if(column.rbegin(), column.rend(), [](Real v) { return std::isfinite(v); });
    bars.push_back({line.name, last == column.rend() ? 0 : *last});
  }
  const auto& content = series.values(series.only(store::SeriesRole::content));
  if (!steady) bars.push_back({"gained in all", content.back() - content.front()});
  std::erase_if(bars, [](const Bar& b) { return !std::isfinite(b.amount); });
  // Boundaries that let nothing through say nothing.
  Real largest = 0;
  for (const Bar& b : bars) largest = std::max(largest, std::abs(b.amount));
  std::erase_if(bars, [&](const Bar& b) { return std::abs(b.amount) <= 1e-12 * largest; });
  if (bars.empty()) throw PlotError("all flows are zero: no budget to draw");
  return bars;
}

void draw_budget_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const std::vector<Bar> bars = bars_of(run);
  const store::RunSeries& series = run.series();
  const bool steady = run.fields().description().steady;
  const std::string unit =
      series.column(steady ? series.lines().at(0).flow : series.only(store::SeriesRole::content)).unit;
  std::pair<Real, Real> range{0, 0};
  std::size_t longest = 0;
  for (const Bar& b : bars) {
    range = {std::min(range.first, b.amount), std::max(range.second, b.amount)};
    longest = std::max(longest, b.name.size());
  }
  const Real width = range.second - range.first;
  Gnuplot plot(out);
  plot.line("set title " + quoted(title_of(run, request) + (steady ? ", steady state" : "")));
  plot.line("set xlabel " + quoted(label(steady ? "flow into the domain" : "amount that came in", unit)));
  // Room for the numbers beside the bars.
  plot.line(fmt::format(
      "set xrange [{}:{}]; set yrange [{}:0.4]", range.first - (range.first < 0 ? 0.16 * width : 0),
      range.second + (range.second > 0 ? 0.16 * width : 0), -static_cast<Real>(bars.size()) + 0.4));
  std::string tics = "set ytics scale 0 (";
  for (std::size_t n = 0; n < bars.size(); ++n)
    tics += fmt::format("{}{} -{}", n == 0 ? "" : ", ", quoted(bars[n].name), n);
  plot.line(tics + ")");
  plot.line(fmt::format("set lmargin {}; set border 1; set grid xtics noytics; set key off", longest + 3));
  plot.line(fmt::format("set arrow from 0, graph 0 to 0, graph 1 nohead lc rgb '{}' lw 1", ink));
  for (std::size_t n = 0; n < bars.size(); ++n) {
    const Real v = bars[n].amount, middle = -static_cast<Real>(n);
    const bool total = bars[n].name == "gained in all";
    plot.line(
        fmt::format("set object {} rect from {},{} to {},{} fillcolor rgb '{}' fillstyle solid noborder",
                    n + 1, std::min(0.0, v), middle - 0.33, std::max(0.0, v), middle + 0.33,
                    (total   ? sequential(0.55)
                     : v < 0 ? diverging(0.08)
                             : diverging(0.92))
                        .hex()));
    plot.line(fmt::format("set label '{:.5g}' at {},{} {} offset {},0 front font ',11' textcolor rgb '{}'", v,
                          v, middle, v < 0 ? "right" : "left", v < 0 ? -0.7 : 0.7, ink));
  }
  plot.line("plot NaN notitle");
  plot.finish();
}

}  // namespace

FigureKind figures::budget() {
  return {.name = "budget", .draw = draw_budget_of_run};
}

}  // namespace williwaw::plot
