// What frequencies probes hold, with the modes of the grid where they are known.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "plot/kinds.hpp"
#include "williwaw/verify/record_spectrum.hpp"

namespace williwaw::plot {

namespace {

std::vector<std::size_t> probes_of(const store::Series& spectrum, const FigureRequest& request) {
  std::vector<std::size_t> result;
  if (!request.of.empty()) {
    if (const auto found = spectrum.find(request.of)) return {*found};
    std::string known;
    for (std::size_t c = 1; c < spectrum.columns.size(); ++c)
      known += (c > 1 ? ", " : "") + spectrum.columns[c].name;
    throw PlotError("there is no spectrum of '" + request.of + "'; there are those of " + known);
  }
  for (std::size_t c = 1; c < spectrum.columns.size(); ++c) result.push_back(c);
  return result;
}

// As far as amplitudes matter.
Real end_of(const store::Series& spectrum, const std::vector<std::size_t>& probes) {
  Real highest = 0, end = 0;
  for (const auto c : probes)
    for (const Real a : spectrum.values[c]) highest = std::max(highest, a);
  for (const auto c : probes)
    for (std::size_t n = 0; n < spectrum.values[c].size(); ++n)
      if (spectrum.values[c][n] > 0.01 * highest) end = std::max(end, spectrum.values[0][n]);
  return std::max(1.15 * end, 10 * spectrum.values[0][1]);
}

// The strongest peaks that can be told apart, few enough to be read.
std::vector<verify::Peak> labelled(std::vector<verify::Peak> peaks, Real end, Real highest) {
  constexpr std::size_t most = 6;
  constexpr Real apart = 0.06, least = 0.06;  // of the picture's width and height
  std::ranges::sort(peaks, std::greater<>(), &verify::Peak::amplitude);
  std::vector<verify::Peak> result;
  for (const verify::Peak& peak : peaks) {
    const bool beside = std::ranges::any_of(result, [&](const verify::Peak& other) {
      return std::abs(other.frequency - peak.frequency) < apart * end;
    });
    if (result.size() < most && !beside && peak.frequency < end && peak.amplitude > least * highest)
      result.push_back(peak);
  }
  return result;
}

void draw_spectrum_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const auto file = run.folder() / "spectrum.csv";
  const store::Series spectrum = store::read_run_table(file, store::spectrum_headers, 2, true);
  const auto probes = probes_of(spectrum, request);
  const Real end = end_of(spectrum, probes);
  Real highest = 0;
  for (const auto c : probes) highest = std::max(highest, *std::ranges::max_element(spectrum.values[c]));
  Gnuplot plot(out);
  // Two tones closer than that are one peak.
  const Real resolution = spectrum.values[0][1] - spectrum.values[0][0];
  plot.line("set title " +
            quoted(fmt::format(
                "{}, spectra of the probes, resolution {:.3g}{}", title_of(run, request), resolution,
                spectrum.columns[0].unit.empty() ? "" : " " + pretty_unit(spectrum.columns[0].unit))));
  plot.line("set xlabel " + quoted(label("frequency", spectrum.columns[0].unit)));
  plot.line("set ylabel " + quoted(label("amplitude", spectrum.columns[probes[0]].unit)));
  plot.line(fmt::format("set xrange [0:{}]; set yrange [0:{}]", end, 1.22 * highest));
  const auto modes = run.folder() / "modes.csv";
  bool marked = false;
  if (std::filesystem::exists(modes)) {
    const std::vector<Real> all = store::read_run_table(modes, store::mode_headers).values[0];
    // A forest of modes hides what it should explain.
    const auto shown = std::ranges::count_if(all, [&](Real m) { return m < end; });
    for (const Real m : all)
      if (m < end && shown <= 60) {
        marked = true;
        plot.line(
            fmt::format("set arrow from first {0}, graph 0 to first {0}, graph 1 nohead back lc "
                        "rgb '{1}' lw 1 dt 2",
                        m, faint));
      }
  }
  std::vector<std::string> entries;
  for (const auto c : probes) entries.push_back(spectrum.columns[c].name);
  if (marked) entries.emplace_back("modes of the grid");
  plot.legend(entries);
  std::string command = "plot ";
  std::vector<Real> numbers;
  for (std::size_t g = 0; g < probes.size(); ++g) {
    const auto& values = spectrum.values[probes[g]];
    command += fmt::format(
        "{}'-' binary record=({}) format='%double%double' using 1:2 with lines lw 2.5 lc rgb '{}' "
        "title {}",
        g == 0 ? "" : ", ", values.size(), distinct(static_cast<Index>(g)).hex(), plot::quoted(entries[g]));
    for (std::size_t n = 0; n < values.size(); ++n)
      numbers.insert(numbers.end(), {spectrum.values[0][n], values[n]});
    if (probes.size() > 1) continue;
    // One probe alone has room for its peaks' frequencies.
    const verify::RecordSpectrum one{spectrum.values[0][1] - spectrum.values[0][0], values};
    for (const auto& peak : labelled(verify::peaks_of(one), end, highest))
      plot.line(fmt::format("set label '{:.4g}' at first {},{} center offset 0,0.8 textcolor rgb '{}'",
                            peak.frequency, peak.frequency, peak.amplitude, ink));
  }
  if (marked)
    command += fmt::format(", NaN with lines lw 1 dt 2 lc rgb '{}' title 'modes of the grid'", faint);
  plot.line(command);
  plot.data(numbers);
  plot.finish();
}

}  // namespace

namespace {

std::string spectrum_lacks(const FigureSource& source, const FigureRequest&) {
  return source.spectra ? ""
                        : "waves with probes and a series at even times are needed: they leave spectrum.csv";
}

}  // namespace

FigureKind figures::spectrum() {
  return {.name = "spectrum", .draw = draw_spectrum_of_run, .lacks = spectrum_lacks, .of = Shown::probe};
}

}  // namespace williwaw::plot
