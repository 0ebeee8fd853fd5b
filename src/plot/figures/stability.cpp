// What a scheme allows and where this problem's modes lie in it; how it treats waves of every length.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "plot/kinds.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::plot {

namespace {

using Complex = std::complex<Real>;

struct Window {
  Real left, right, height;
};

// Modes and region both in sight; an endless region is shown as far as the modes reach.
Window window_of(Real interval, Real reach) {
  const Real far =
      std::isinf(interval) ? std::max(reach, 1.0) : std::max(interval, std::min(reach, 4 * interval));
  const Real width = 1.2 * std::max(far, 1e-3);
  return {-width, 0.25 * width, 0.55 * width};
}

void draw_region(Gnuplot& plot, const study::Prepared& prepared, const std::vector<Real>& rates) {
  const Scheme& scheme = prepared.plan.scheme;
  const auto& s = prepared.stability;
  const Real step = prepared.longest_step, reach = s.largest_eigenvalue * step;
  const Window w = window_of(real_stability_interval(scheme), reach);
  constexpr Index columns = 900, rows = 720;
  std::vector<Real> image, inside, outside;
  for (Index j = 0; j < rows; ++j)
    for (Index i = 0; i < columns; ++i) {
      const Real x = w.left + (w.right - w.left) * (static_cast<Real>(i) + 0.5) / columns;
      const Real y = w.height * (2 * (static_cast<Real>(j) + 0.5) / rows - 1);
      image.push_back(std::abs(amplification(scheme, Complex(x, y), s.stages)) <= 1 + 1e-9 ? 0 : 1);
    }
  for (const Real rate : rates) {
    const bool holds = std::abs(amplification(scheme, Complex(-rate * step), s.stages)) <= 1 + 1e-9;
    auto& list = holds ? inside : outside;
    // What lies outside the picture is shown at its edge.
    list.push_back(std::max(-rate * step, 0.995 * w.left));
    list.push_back(0);
  }
  plot.line("set xlabel 'real part of eigenvalue · step'; set ylabel 'imaginary part of eigenvalue · step'");
  plot.line("set title 'where the scheme is stable (shaded)'; set size ratio -1");
  plot.line(fmt::format("set xrange [{}:{}]; set yrange [{}:{}]", w.left, w.right, -w.height, w.height));
  plot.line(
      fmt::format("set cbrange [0:1]; unset colorbox; set palette defined (0 '#cfe3df', 1 '{}')", ground));
  plot.line("set xzeroaxis lc rgb '#9aa0a6'; set yzeroaxis lc rgb '#9aa0a6'");
  plot.line("set key at graph 0.02, graph 0.97 left top Left reverse samplen 1");
  std::string command = fmt::format(
      "plot '-' binary array=({},{}) origin=({},{}) dx={} dy={} format='%double' with image notitle", columns,
      rows, w.left + 0.5 * (w.right - w.left) / columns, -w.height * (1 - 1.0 / rows),
      (w.right - w.left) / columns, 2 * w.height / rows);
  if (!inside.empty())
    command += fmt::format(
        ", '-' binary record=({}) format='%double%double' using 1:2 with points pt 7 ps 0.8 lc rgb '{}' "
        "title '{} modes decay'",
        inside.size() / 2, curve(0, 4).hex(), inside.size() / 2);
  if (!outside.empty())
    command += fmt::format(
        ", '-' binary record=({}) format='%double%double' using 1:2 with points pt 7 ps 0.9 lc rgb '{}' "
        "title '{} grow'",
        outside.size() / 2, accent().hex(), outside.size() / 2);
  plot.line(command);
  plot.data(image);
  if (!inside.empty()) plot.data(inside);
  if (!outside.empty()) plot.data(outside);
  plot.line("unset xzeroaxis; unset yzeroaxis; set size noratio");
}

void draw_amplification(Gnuplot& plot, const study::Prepared& prepared) {
  const auto& s = prepared.stability;
  constexpr Index points = 400;
  std::vector<Real> scheme, exact;
  Real highest = 1.1;
  for (Index n = 0; n <= points; ++n) {
    const Real fraction = static_cast<Real>(n) / points, angle = std::numbers::pi * fraction;
    // Four times the diffusion number is the largest symbol, at the shortest wave.
    const Real z = -4 * s.diffusion_number * std::pow(std::sin(angle / 2), 2);
    const Real factor = std::abs(amplification(prepared.plan.scheme, Complex(z), s.stages));
    highest = std::max(highest, std::min(1.1 * factor, 5.0));
    scheme.insert(scheme.end(), {fraction, factor});
    exact.insert(exact.end(), {fraction, std::exp(-s.diffusion_number * angle * angle)});
  }
  plot.line("set title 'amplification factor of a step'");
  plot.line(
      "set xlabel 'shortest wave (2 spacings) over wavelength'; set ylabel 'amplification factor, "
      "magnitude'");
  plot.line(fmt::format("set xrange [0:1]; set yrange [0:{}]", 1.3 * highest));
  plot.line("set key at graph 0.98, graph 0.97 right top Left reverse samplen 2");
  const std::string record =
      fmt::format("'-' binary record=({}) format='%double%double' using 1:2 with lines ", points + 1);
  plot.line(
      fmt::format("plot {0}lw 3 lc rgb '{1}' title 'this scheme and step', {0}lw 2 dt 2 lc rgb '{2}' title "
                  "'exact decay', 1 with lines lw 1 lc rgb '{3}' title 'border of growth'",
                  record, curve(0, 4).hex(), distinct(2).hex(), accent().hex()));
  plot.data(scheme);
  plot.data(exact);
}

// Of a wave: where both roots of every mode lie, and the larger of them over wavenumber.
void draw_roots(Gnuplot& plot, const study::Prepared& prepared, const std::vector<Real>& squares) {
  const Scheme& scheme = prepared.plan.scheme;
  const Real step = prepared.longest_step;
  std::vector<Real> inside, outside;
  Real reach = 1.15;
  for (const Real square : squares)
    for (const auto& root : wave_amplification(scheme, square * step * step)) {
      auto& list = std::abs(root) <= 1 + 1e-9 ? inside : outside;
      list.insert(list.end(), {root.real(), root.imag()});
      reach = std::max(reach, std::min(1.15 * std::abs(root), 3.0));
    }
  plot.line("set title 'amplification factor of a step'");
  plot.line("set xlabel 'real part'; set ylabel 'imaginary part'; set size ratio -1");
  plot.line(fmt::format("set xrange [{0}:{1}]; set yrange [{0}:{1}]", -reach, reach));
  // The circle itself has room for the key while it fills the picture, its corners have when it does not.
  plot.line(fmt::format("set key at graph {} Left reverse samplen 1; set parametric; set trange [0:2*pi]",
                        reach < 1.5 ? "0.5, graph 0.55 center center" : "0.03, graph 0.05 left bottom"));
  plot.line("set samples 400");
  std::string command = fmt::format(
      "plot cos(t), sin(t) with lines lw 1.5 lc rgb '{}' title 'border of growth'", accent().hex());
  const auto points = [&](const std::vector<Real>& list, const std::string& colour,
                          const std::string& title) {
    if (!list.empty())
      command += fmt::format(
          ", '-' binary record=({}) format='%double%double' using 1:2 with points pt 7 ps 0.8 lc rgb '{}' "
          "title '{}'",
          list.size() / 2, colour, title);
  };
  points(inside, curve(0, 4).hex(), fmt::format("{} roots stay", inside.size() / 2));
  points(outside, accent().hex(), fmt::format("{} grow", outside.size() / 2));
  plot.line(command);
  if (!inside.empty()) plot.data(inside);
  if (!outside.empty()) plot.data(outside);
  plot.line("unset parametric; set size noratio");
}

void draw_wave_amplification(Gnuplot& plot, const study::Prepared& prepared) {
  constexpr Index points = 400;
  const Real courant = prepared.stability.courant_number;
  std::vector<Real> larger;
  Real highest = 1.1;
  for (Index n = 1; n <= points; ++n) {
    const Real fraction = static_cast<Real>(n) / points, sine = std::sin(0.5 * std::numbers::pi * fraction);
    const auto roots = wave_amplification(prepared.plan.scheme, 4 * courant * courant * sine * sine);
    const Real factor = std::max(std::abs(roots[0]), std::abs(roots[1]));
    highest = std::max(highest, std::min(1.1 * factor, 5.0));
    larger.insert(larger.end(), {fraction, factor});
  }
  plot.line("set title 'the larger root over wavelength, at the fastest place'");
  plot.line(
      "set xlabel 'shortest wave (2 spacings) over wavelength'; set ylabel 'amplification factor, "
      "magnitude'");
  plot.line(fmt::format("set xrange [0:1]; set yrange [0:{}]", 1.3 * highest));
  plot.line("set key at graph 0.98, graph 0.97 right top Left reverse samplen 2");
  plot.line(
      fmt::format("plot '-' binary record=({}) format='%double%double' using 1:2 with lines lw 3 lc rgb '{}' "
                  "title 'this scheme and step', 1 with lines lw 1.5 lc rgb '{}' title 'border of growth'",
                  points, curve(0, 4).hex(), accent().hex()));
  plot.data(larger);
}

void draw_stability(const casefile::Case& given, const study::Prepared& prepared, const Output& out) {
  std::vector<Real> rates = verify::decay_rates(*prepared.balance, prepared.plan.start);
  if (rates.empty()) rates = {prepared.stability.largest_eigenvalue};
  Gnuplot plot(out);
  plot.line(fmt::format("set multiplot layout 1,2 title {} font ',15' offset 0,-0.4",
                        plot::quoted(fmt::format("{}: {}, step {}", given.title, prepared.plan.scheme.title,
                                                 given.duration(prepared.longest_step)))));
  plot.line("set tmargin 4; set rmargin 3; set lmargin 10; set bmargin 4.5");
  if (prepared.stability.wave) {
    draw_roots(plot, prepared, rates);
    draw_wave_amplification(plot, prepared);
  } else {
    draw_region(plot, prepared, rates);
    draw_amplification(plot, prepared);
  }
  plot.line("unset multiplot");
  plot.finish();
}

std::string stability_lacks(const FigureSource& source, const FigureRequest&) {
  if (source.steady) return "a steady state takes no steps";
  if (source.adaptive) return "steps are chosen by their errors: set one to see it, --set time.step=\"..\"";
  return source.modes ? "" : "a first-order system has none; `check` gives its limit";
}

}  // namespace

FigureKind figures::stability() {
  return {.name = "stability", .draw_case = draw_stability, .lacks = stability_lacks};
}

}  // namespace williwaw::plot
