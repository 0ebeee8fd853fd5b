// Errors over resolution with the slopes that are due.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::plot {

void draw_convergence(const study::Convergence& refinement_study, const std::string& title,
                      const Output& out) {
  struct Line {
    std::string name;
    std::vector<Real> x, y;
  };
  std::vector<Line> lines;
  std::vector<std::string> entries;
  std::string unit;
  Real lowest = INFINITY, highest = 0;
  for (const auto& q : refinement_study.quantities) {
    if (!q.is_error) continue;
    Line line{q.name, {}, {}};
    const std::size_t skipped = refinement_study.levels.size() - q.values.size();
    for (std::size_t l = 0; l < q.values.size(); ++l) {
      const auto& r = refinement_study.refinements[l + skipped];
      if (!(q.values[l] > 0)) continue;
      line.x.push_back(r.grid > 1 || r.step <= 1 ? 1.0 / static_cast<Real>(r.grid) : 1 / r.step);
      line.y.push_back(q.values[l]);
      lowest = std::min(lowest, q.values[l]);
      highest = std::max(highest, q.values[l]);
    }
    unit = q.unit;
    entries.push_back(q.name);
    if (!line.x.empty()) lines.push_back(std::move(line));
  }
  if (lines.empty()) throw PlotError("all errors are zero: no logarithmic axis");
  // Slopes start below the smallest errors.
  const Line guide = *std::ranges::min_element(lines, {}, [](const Line& l) { return l.y.front(); });
  for (const Real order :
       {refinement_study.theory,
        refinement_study.theory > 1.5 ? refinement_study.theory - 1 : refinement_study.theory + 1}) {
    Line slope{fmt::format("order {:.3g}", order), guide.x, {}};
    for (const Real x : guide.x)
      slope.y.push_back(0.6 * guide.y.front() * std::pow(x / guide.x.front(), order));
    lowest = std::min(lowest, slope.y.back());
    lines.push_back(slope);
    entries.push_back(slope.name);
  }
  Gnuplot plot(out);
  plot.line("set title " + plot::quoted(title));
  plot.line("set xlabel " + plot::quoted(refinement_study.refined == "step"
                                             ? "step, relative to the first level"
                                             : "spacing, relative to the first level"));
  plot.line("set ylabel " + plot::quoted(label("error", unit)));
  plot.line("set logscale xy; set format y '%.0e'; set format x '%g'");
  const Real from = *std::ranges::min_element(guide.x), to = *std::ranges::max_element(guide.x);
  plot.line(fmt::format("set xrange [{}:{}]; set yrange [{}:{}]", from / 1.3, to * 1.3,
                        std::pow(10, std::floor(std::log10(lowest))),
                        std::pow(10, std::ceil(std::log10(highest)))));
  std::string ticks;
  for (const Real x : guide.x) ticks += fmt::format("{}'1/{:.4g}' {}", ticks.empty() ? "" : ", ", 1 / x, x);
  plot.line("set xtics (" + ticks + ")");
  plot.legend(entries);
  std::string command = "plot ";
  const std::size_t slopes = lines.size() - 2;
  for (std::size_t n = 0; n < lines.size(); ++n)
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using 1:2 with {} lc rgb '{}' title {}",
        n == 0 ? "" : ", ", lines[n].x.size(),
        n < slopes    ? "linespoints lw 2.5 pt 7 ps 1.1"
        : n == slopes ? "lines lw 1.5 dt 2"
                      : "lines lw 1.5 dt 3",
        n < slopes ? distinct(static_cast<Index>(n)).hex() : "#8a8d91", plot::quoted(lines[n].name));
  plot.line(command);
  for (const auto& line : lines)
    for (std::size_t i = 0; i < line.x.size(); ++i) plot.data(std::array{line.x[i], line.y[i]});
  plot.finish();
}

FigureKind figures::convergence() {
  return {.name = "convergence",
          .draw_case = [](const casefile::Case& given, const study::Prepared&, const Output& out) {
            try {
              const study::Convergence result = study::converge(given);
              draw_convergence(result, given.title + ": refining " + result.refined, out);
            } catch (const InputError& e) {
              throw PlotError(std::string("convergence: ") + e.what());
            } catch (const SolverError& e) {
              throw PlotError(std::string("convergence: ") + e.what());
            }
          }};
}

}  // namespace williwaw::plot
