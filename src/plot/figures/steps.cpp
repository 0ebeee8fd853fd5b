// Steps that were chosen by their errors, over time.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

void draw_steps_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const auto file = run.folder() / "steps.csv";
  const store::Series s = store::read_run_table(file, store::step_headers);
  std::vector<Real> taken, rejected;
  Real lowest = INFINITY, highest = 0;
  for (std::size_t n = 0; n < s.values[0].size(); ++n) {
    auto& list = s.values[3][n] != 0 ? taken : rejected;
    list.push_back(s.values[0][n]);
    list.push_back(s.values[1][n]);
    lowest = std::min(lowest, s.values[1][n]);
    highest = std::max(highest, s.values[1][n]);
  }
  Gnuplot plot(out);
  plot.line("set title " + plot::quoted(title_of(run, request) + ", steps chosen by their errors"));
  plot.line("set xlabel " + plot::quoted(label("time", s.columns[0].unit)));
  plot.line("set ylabel " + plot::quoted(label("step", s.columns[1].unit)));
  // Decades need a log axis; a factor of a few is read off better on a plain one.
  if (highest > 20 * lowest)
    plot.line(
        fmt::format("set logscale y; set format y '%.0e'; set yrange [{}:{}]", lowest / 2, highest * 2));
  else
    plot.line(fmt::format("set yrange [0:{}]", 1.15 * highest));
  plot.line("set key bottom right Left reverse");
  std::string command = fmt::format(
      "plot '-' binary record=({}) format='%double%double' using 1:2 with linespoints lw 1.5 pt 7 "
      "ps 0.6 lc rgb '{}' title '{} taken'",
      taken.size() / 2, curve(0, 4).hex(), taken.size() / 2);
  if (!rejected.empty())
    command += fmt::format(
        ", '-' binary record=({}) format='%double%double' using 1:2 with points pt 2 ps 1.2 lw 2 "
        "lc rgb '{}' title '{} rejected'",
        rejected.size() / 2, accent().hex(), rejected.size() / 2);
  plot.line(command);
  plot.data(taken);
  if (!rejected.empty()) plot.data(rejected);
  plot.finish();
}

}  // namespace

namespace {

std::string steps_lack(const FigureSource& source, const FigureRequest&) {
  return source.steps ? "" : "adaptive steps are needed, time.step = { adaptive = .. }: they leave steps.csv";
}

}  // namespace

FigureKind figures::steps() {
  return {.name = "steps", .draw = draw_steps_of_run, .lacks = steps_lack};
}

}  // namespace williwaw::plot
