#include "williwaw/study/end_values.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "study/wording.hpp"
#include "williwaw/store/run_series.hpp"
#include "williwaw/study/series_columns.hpp"
#include "williwaw/verify/shape.hpp"

namespace williwaw::study {

namespace {

using store::SeriesRole;

EndValue last_of(const store::RunSeries& series, std::size_t column) {
  return {series.column(column).name, series.values(column).back(), series.column(column).unit,
          series.role(column) == SeriesRole::flow};
}

void add_errors(const Case& given, const RunResult& result, std::vector<EndValue>& values) {
  for (std::size_t u = 0; u < given.count(); ++u) {
    // The last one of each counts.
    const Comparison* last = nullptr;
    for (const Comparison& c : result.comparisons)
      if (c.unknown == u) last = &c;
    if (!last) continue;
    const auto add = [&](const char* norm, Real value) {
      values.push_back({label_of(given, u, norm), value, scale_of(given, u).unit});
    };
    add("error maximum", last->norms.max);
    add("error L1", last->norms.l1);
    add("error L2", last->norms.l2);
  }
}

// What was moved is compared with itself at the start.
void add_pulse(const Case& given, const Prepared& prepared, const RunResult& result,
               std::vector<EndValue>& values) {
  Discretization& balance = *prepared.balance;
  if (result.steady || given.count() > 1 || !balance.advects() ||
      result.outcome.ending == Outcome::Ending::blew_up)
    return;
  const verify::PulseLoss pulse = verify::pulse_loss(balance, balance.initial_state(), prepared.initial);
  if (!(pulse.height_before > 0) || std::isnan(pulse.width_before[0])) return;
  values.push_back(
      {"height of the pulse", std::abs(given.value.shown_difference(pulse.height)), given.value.unit});
  for (int a = 0; a < given.problem.grid().dimension(); ++a)
    if (std::isfinite(pulse.width[a]))
      values.push_back({"width of the pulse, " + given.problem.grid().axis(a).name(),
                        given.length.shown_difference(pulse.width[a]), given.length.unit});
}

}  // namespace

std::vector<EndValue> values_at_end(const Case& given, const Prepared& prepared, const RunResult& result,
                                    const std::filesystem::path& folder) {
  const store::RunSeries series(folder / "series.csv");
  static constexpr std::array extremes{"minimum", "mean", "maximum"};
  const auto is_extreme = [](const std::string& name) {
    return std::ranges::find(extremes, store::without_unknown(name)) != extremes.end();
  };
  std::vector<EndValue> values;
  const auto add = [&](SeriesRole role, const auto& wanted) {
    for (const std::size_t c : series.all(role))
      if (wanted(series.column(c).name)) values.push_back(last_of(series, c));
  };
  const auto all = [](const std::string&) { return true; };
  add(SeriesRole::measure, is_extreme);
  add_errors(given, result, values);
  add_pulse(given, prepared, result, values);
  add(SeriesRole::probe, all);
  add(SeriesRole::measure, [&](const std::string& name) { return !is_extreme(name); });
  add(SeriesRole::content, all);
  add(SeriesRole::flow, all);
  return values;
}

void probe_values_section(const std::filesystem::path& folder, Report& report) {
  // By names and order: a summary.json beside it may be that of an earlier run.
  const auto written = store::written_columns(folder / "series.csv");
  const store::Series series = store::read_series(folder / "series.csv");
  bool first = true;
  for (std::size_t c = 0; c < written.size(); ++c) {
    if (written[c].second != SeriesRole::probe || series.values[c].empty()) continue;
    if (std::exchange(first, false)) report.section("probes at the end");
    const Real value = series.values[c].back();
    report.row(series.columns[c].name, readable(value, series.columns[c].unit), number(value),
               series.columns[c].unit);
  }
}

}  // namespace williwaw::study
