#include "study/run/probe_spectra.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/run/derived.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::study {

namespace {

std::string frequency_unit(const Case& given) {
  return given.time.unit.empty() ? "" : given.time.unit == "s" ? "Hz" : "1/" + given.time.unit;
}

// Rows at even times from the first on, and their interval in shown units; a row more at an odd end is left
// out.
std::size_t even_rows(const std::vector<Real>& times, Real& interval) {
  if (times.size() < 3) return 0;
  interval = times[1] - times[0];
  std::size_t rows = 2;
  while (rows < times.size() && std::abs(times[rows] - times[rows - 1] - interval) < 1e-6 * interval) ++rows;
  return rows;
}

// Frequencies of the grid's own modes, in shown units; none where ends let waves out or there are too many.
std::vector<Real> mode_frequencies(const Case& given, Discretization& balance) {
  for (const BoundaryClosure& boundary : balance.closures())
    for (const auto& condition : boundary.section().boundary.conditions())
      if (condition->has_rate()) return {};
  std::vector<Real> result;
  for (const Real square : verify::decay_rates(balance, 0))
    if (square > 0) result.push_back(std::sqrt(square) / (2 * M_PI) * given.time.si(1));
  std::ranges::sort(result);
  return result;
}

std::vector<ProbePeak> peaks_in(const store::Series& spectrum, const std::vector<Real>& modes) {
  std::vector<ProbePeak> result;
  for (std::size_t c = 1; c < spectrum.columns.size(); ++c) {
    const verify::RecordSpectrum one{spectrum.values[0][1] - spectrum.values[0][0], spectrum.values[c]};
    for (const auto& peak : verify::peaks_of(one)) {
      ProbePeak row{spectrum.columns[c].name, peak, std::nullopt};
      if (!modes.empty())
        row.mode = *std::ranges::min_element(modes, {}, [&](Real m) { return std::abs(m - peak.frequency); });
      result.push_back(row);
    }
  }
  return result;
}

std::vector<Real> times_of(const store::RunSeries& series, const Case& given) {
  return casefile::converted(series.values(0), series.column(0).unit, given.time.unit);
}

std::vector<Real> modes_from(const std::filesystem::path& folder) {
  if (!std::filesystem::exists(folder / "modes.csv")) return {};
  return store::read_run_table(folder / "modes.csv", store::mode_headers).values[0];
}

}  // namespace

std::vector<std::string> write_spectra(const Case& given, Discretization& balance,
                                       const std::filesystem::path& folder) {
  if (given.probes.empty()) return {};
  const store::RunSeries series(folder / "series.csv");
  Real interval = 0;
  const std::size_t rows = even_rows(times_of(series, given), interval);
  if (rows < 16) return {};
  const std::string unit = frequency_unit(given);
  store::Series spectrum;
  spectrum.columns.push_back({store::spectrum_headers[0], unit});
  spectrum.values.emplace_back();
  for (const Sight& sight : sights_of(given)) {
    const auto& values = series.values(series.probe(sight.label));
    const auto one = verify::spectrum_of_record(std::span(values).first(rows), interval);
    if (spectrum.values[0].empty())
      for (std::size_t n = 0; n < one.amplitudes.size(); ++n)
        spectrum.values[0].push_back(static_cast<Real>(n) * one.spacing);
    spectrum.columns.push_back({sight.label, sight.scale.unit});
    spectrum.values.push_back(one.amplitudes);
  }
  std::string text;
  for (const auto& column : spectrum.columns) text += (text.empty() ? "" : ",") + column.header();
  text += "\n";
  for (std::size_t n = 0; n < spectrum.values[0].size(); ++n) {
    for (std::size_t c = 0; c < spectrum.values.size(); ++c)
      text += fmt::format("{}{:.10g}", c == 0 ? "" : ",", spectrum.values[c][n]);
    text += "\n";
  }
  store::write_file(folder / "spectrum.csv", text);
  std::vector<std::string> files{"spectrum.csv", "peaks.csv"};
  // Modes beyond what the record can tell are of no use.
  std::vector<Real> modes = mode_frequencies(given, balance);
  std::erase_if(modes, [&](Real m) { return m > 0.5 / interval; });
  if (!modes.empty()) {
    text = store::Column{store::mode_headers[0], unit}.header() + "\n";
    for (const Real m : modes) text += fmt::format("{:.10g}\n", m);
    store::write_file(folder / "modes.csv", text);
    files.emplace_back("modes.csv");
  } else {
    std::filesystem::remove(folder / "modes.csv");
  }
  text = "probe," + store::Column{store::spectrum_headers[0], unit}.header() + "," +
         store::Column{"amplitude", given.value.unit}.header() + "," +
         store::Column{"nearest mode", unit}.header() + "\n";
  for (const auto& row : peaks_in(spectrum, modes))
    text += fmt::format("{},{:.8g},{:.6g},{}\n", row.probe, row.peak.frequency, row.peak.amplitude,
                        row.mode ? fmt::format("{:.8g}", *row.mode) : "");
  store::write_file(folder / "peaks.csv", text);
  return files;
}

void probes_section(const Case& given, const std::filesystem::path& folder, Report& report) {
  if (given.probes.empty() || !given.problem.equation().second_order) return;
  const store::RunSeries series(folder / "series.csv");
  report.section("probes");
  const std::vector<Real> times = times_of(series, given);
  const auto time = [&](Real t) { return readable(t, given.time.unit); };
  const std::vector<Sight> sights = sights_of(given);
  for (const Sight& sight : sights) {
    const auto arrival = verify::arrival_of(times, series.values(series.probe(sight.label)));
    if (!arrival) {
      report.row(sight.label, "no arrival");
      continue;
    }
    report.row(sight.label,
               fmt::format("arrival (10 % of peak): {}; peak: {} at {}", time(arrival->time),
                           readable(arrival->largest, sight.scale.unit), time(arrival->largest_at)),
               Report::Data(arrival->time), given.time.unit);
  }
  if (!std::filesystem::exists(folder / "spectrum.csv")) return;
  const std::vector<Real> modes = modes_from(folder);
  const std::string unit = frequency_unit(given);
  auto peaks =
      peaks_in(store::read_run_table(folder / "spectrum.csv", store::spectrum_headers, 2, true), modes);
  std::ranges::stable_sort(peaks, std::greater<>(), [](const ProbePeak& g) { return g.peak.amplitude; });
  for (const Sight& sight : sights) {
    std::string text;
    int count = 0;
    for (const auto& row : peaks) {
      if (row.probe != sight.label || count == 3) continue;
      ++count;
      text += fmt::format("{}{}", text.empty() ? "" : "; ", readable(row.peak.frequency, unit));
      if (row.mode) text += fmt::format(" (nearest mode {})", readable(*row.mode, unit));
    }
    if (!text.empty()) report.row(sight.label + ": strongest frequencies", text);
  }
}

}  // namespace williwaw::study
