// Residuals of a steady solve over iterations, on a log axis; several runs on one plot.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::plot {

void draw_residuals(const NamedRuns& runs, const std::string& title, const Output& out) {
  std::vector<store::Series> all;
  Real lowest = 1, highest = 1;
  std::size_t longest = 0;
  std::vector<std::string> entries;
  for (const auto& [name, folder] : runs) {
    if (!std::filesystem::exists(folder / "residuals.csv"))
      throw PlotError(folder.string() + ": has no residuals; they belong to [steady]");
    all.push_back(store::read_run_table(folder / "residuals.csv", store::residual_headers));
    for (const Real r : all.back().values[1])
      if (r > 0) {
        lowest = std::min(lowest, r);
        highest = std::max(highest, r);
      }
    longest = std::max(longest, all.back().values[0].size());
    entries.push_back(name);
  }
  Gnuplot plot(out);
  plot.line("set title " + plot::quoted(title));
  plot.line("set xlabel 'iteration'; set ylabel 'residual, relative to that of a uniform field'");
  plot.line(fmt::format("set logscale y; set format y '%.0e'; set yrange [{}:{}]",
                        std::pow(10, std::floor(std::log10(lowest))),
                        std::pow(10, std::ceil(std::log10(highest) + 0.1))));
  // A solver of ten iterations beside one of ten thousand needs a log axis both ways.
  std::size_t shortest = longest;
  for (const auto& s : all) shortest = std::min(shortest, s.values[0].size());
  const bool far_apart = longest > 30 * shortest;
  if (far_apart) plot.line("set logscale x; set xlabel 'iteration + 1'");
  plot.line(fmt::format("set xrange [{}:{}]", far_apart ? 1 : 0,
                        std::max<std::size_t>(1, longest - 1) + (far_apart ? 1 : 0)));
  if (runs.size() > 1)
    plot.legend(entries);
  else
    plot.line("set key off");
  std::string command = "plot ";
  std::vector<Real> numbers;
  for (std::size_t n = 0; n < all.size(); ++n) {
    std::size_t rows = 0;
    for (std::size_t r = 0; r < all[n].values[0].size(); ++r)
      if (all[n].values[1][r] > 0) {
        numbers.push_back(all[n].values[0][r] + (far_apart ? 1 : 0));
        numbers.push_back(all[n].values[1][r]);
        ++rows;
      }
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using 1:2 with {} lw 2.2 pt 7 ps 0.7 lc rgb '{}' "
        "title {}",
        n == 0 ? "" : ", ", rows, rows <= 60 ? "linespoints" : "lines", distinct(static_cast<Index>(n)).hex(),
        plot::quoted(entries[n]));
  }
  plot.line(command);
  plot.data(numbers);
  plot.finish();
}

namespace {

std::string residuals_lack(const FigureSource& source, const FigureRequest&) {
  return source.steady ? "" : "residuals belong to [steady]: they show how its solver went";
}

void draw_residuals_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  draw_residuals({{"", run.folder()}}, title_of(run, request), out);
}

}  // namespace

FigureKind figures::residuals() {
  return {.name = "residuals", .draw = draw_residuals_of_run, .lacks = residuals_lack};
}

}  // namespace williwaw::plot
