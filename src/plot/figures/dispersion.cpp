// How fast waves of every length run on the grid, along its axes and across them.
#include <fmt/format.h>

#include <cmath>

#include "plot/kinds.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::plot {

namespace {

constexpr Index points = 240;

struct Direction {
  std::string name;
  std::array<Real, 3> along{};
};

std::vector<Direction> directions_of(const Grid& g) {
  std::vector<Direction> result{{"along " + g.axis(0).name(), {1, 0, 0}}};
  if (g.dimension() == 2) result.push_back({"at 45°", {M_SQRT1_2, M_SQRT1_2, 0}});
  if (g.dimension() == 3) {
    const Real s = 1 / std::sqrt(3.0);
    result.push_back({"across all axes", {s, s, s}});
  }
  return result;
}

void draw_speeds(Gnuplot& plot, const verify::DispersionRelation& relation,
                 const std::vector<Direction>& directions, const std::optional<verify::Dispersion>& own) {
  plot.line("set title 'speed over the true speed'");
  plot.line("set xlabel 'shortest wave (2 spacings) over wavelength'; set ylabel 'ratio of speeds'");
  plot.line("set xrange [0:1]; set yrange [0:1.25]");
  plot.line("set key at graph 0.03, graph 0.04 left bottom Left reverse samplen 2");
  const Real shortest = M_PI / relation.spacing()[0];
  std::string command = "plot 1 with lines lw 1 lc rgb '#9aa0a6' notitle";
  std::vector<Real> numbers;
  for (std::size_t d = 0; d < directions.size(); ++d)
    for (const bool group : {false, true}) {
      Index rows = 0;
      for (Index n = 1; n < points; ++n) {
        const Real fraction = static_cast<Real>(n) / points, k = fraction * shortest;
        const Real ratio = group ? relation.group_ratio(k, directions[d].along)
                                 : relation.phase_ratio(k, directions[d].along);
        if (!std::isfinite(ratio)) continue;
        numbers.insert(numbers.end(), {fraction, ratio});
        ++rows;
      }
      command += fmt::format(
          ", '-' binary record=({}) format='%double%double' using 1:2 with lines lw 2.5 {}lc rgb '{}' title "
          "'{}, {}'",
          rows, group ? "dt 2 " : "", distinct(static_cast<Index>(d)).hex(), group ? "packets" : "crests",
          directions[d].name);
    }
  if (own) {
    const Real fraction = own->wavenumber / shortest;
    plot.line(
        fmt::format("set arrow 1 from first {0}, graph 0 to first {0}, graph 1 nohead lc rgb '{1}' lw 2",
                    fraction, accent().hex()));
    plot.line(fmt::format(
        "set label 1 'this run: {:.3g} unknowns a wave' at first {},graph 0.96 {} offset char {},0 textcolor "
        "rgb '{}'",
        own->points, fraction, fraction < 0.5 ? "left" : "right", fraction < 0.5 ? 1 : -1, accent().hex()));
  }
  plot.line(command);
  plot.data(numbers);
  plot.line("unset arrow 1; unset label 1");
}

// The delay of packets after the run, or how it depends on the direction.
void draw_phase_lag(Gnuplot& plot, const casefile::Case& given, const study::Prepared& prepared,
                    const verify::DispersionRelation& relation, const std::vector<Direction>& directions) {
  const Real lasts = prepared.plan.until - prepared.plan.start;
  plot.line("set title 'phase lag at the end'");
  plot.line("set xlabel 'points per wavelength'; set ylabel " +
            plot::quoted(label("delay", given.time.unit)));
  plot.line(
      "set logscale xy; set xrange [4:200]; set autoscale y; set format y '%.0e'; set xtics (4, 6, 10, 20, "
      "40, 80, 150)");
  plot.line("set key at graph 0.97, graph 0.96 right top Left reverse samplen 2");
  std::string command;
  std::vector<Real> numbers;
  for (std::size_t d = 0; d < directions.size(); ++d) {
    Index rows = 0;
    for (Index n = 0; n <= points; ++n) {
      const Real per_wave = 4 * std::pow(50.0, static_cast<Real>(n) / points);
      const Real k = 2 * M_PI / (per_wave * relation.spacing()[0]);
      const Real late = lasts * std::abs(1 - relation.group_ratio(k, directions[d].along));
      if (!(late > 0)) continue;
      numbers.insert(numbers.end(), {per_wave, given.time.shown_difference(late)});
      ++rows;
    }
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using 1:2 with lines lw 2.5 lc rgb '{}' title '{}'",
        command.empty() ? "plot " : ", ", rows, distinct(static_cast<Index>(d)).hex(), directions[d].name);
  }
  if (const auto& own = prepared.dispersion;
      own && own->phase_lag != 0 && own->points > 4 && own->points < 200) {
    command += fmt::format(
        ", '-' binary record=(1) format='%double%double' using 1:2 with points pt 7 ps 1.6 lc rgb '{}' title "
        "'this run: {}'",
        accent().hex(), given.duration(own->phase_lag));
    numbers.insert(numbers.end(), {own->points, std::abs(given.time.shown_difference(own->phase_lag))});
  }
  plot.line(command);
  plot.data(numbers);
}

void draw_dispersion(const casefile::Case& given, const study::Prepared& prepared, const Output& out) {
  if (!prepared.stability.stable()) throw PlotError("the step is not stable: there is no speed to speak of");
  const auto relation =
      verify::dispersion_relation(*prepared.balance, prepared.plan.scheme, prepared.longest_step);
  const auto directions = directions_of(given.problem.grid());
  Gnuplot plot(out);
  plot.line(
      fmt::format("set multiplot layout 1,2 title {} font ',15' offset 0,-0.4",
                  plot::quoted(fmt::format("{}: {}, Courant number {:.3g}", given.title,
                                           prepared.plan.scheme.title, prepared.stability.courant_number))));
  plot.line("set tmargin 4; set rmargin 3; set lmargin 10; set bmargin 4.5");
  draw_speeds(plot, relation, directions, prepared.dispersion);
  draw_phase_lag(plot, given, prepared, relation, directions);
  plot.line("unset multiplot");
  plot.finish();
}

std::string dispersion_lacks(const FigureSource& source, const FigureRequest&) {
  return source.waves ? "" : "it belongs to waves, and this equation is none";
}

}  // namespace

FigureKind figures::dispersion() {
  return {.name = "dispersion", .draw_case = draw_dispersion, .lacks = dispersion_lacks};
}

}  // namespace williwaw::plot
