#include "study/run/recorder.hpp"

#include <algorithm>
#include <cmath>

#include "study/run/columns/kinds.hpp"
#include "study/wording.hpp"
#include "williwaw/study/answer.hpp"

namespace williwaw::study {

namespace {

// Rows every 5 min of a run in hours stand at 5, 10, 15 min, not at 0.0833333 h.
store::Scale series_time(const Case& given) {
  const Real every = given.plan.series_every;
  if (given.time.unit.empty() || !(every > 0)) return given.time;
  const auto is_round = [every](const store::Scale& scale) {
    const Real shown = scale.shown_difference(every) * 1e3;
    return shown >= 1 - 1e-9 && std::abs(shown - std::round(shown)) < 1e-9 * shown;
  };
  if (is_round(given.time)) return given.time;
  for (const auto& [unit, seconds] : {std::pair{"h", 3600.0}, {"min", 60.0}, {"s", 1.0}, {"ms", 1e-3}})
    if (store::Scale scale{unit, 1 / seconds, 0}; scale.factor > given.time.factor && is_round(scale))
      return scale;
  return given.time;
}

}  // namespace

std::vector<store::Column> layout_of_series(const Case& given, Discretization& balance,
                                            const std::vector<LedgerLine>& lines) {
  using store::SeriesRole;
  std::vector<store::Column> result{{store::name_of(SeriesRole::time), series_time(given).unit, 12}};
  for (const Sight& sight : sights_of(given)) result.push_back({sight.label, sight.scale.unit});
  const std::size_t unknowns = balance.unknowns().size();
  for (std::size_t u = 0; u < unknowns; ++u)
    for (const SeriesColumn* column : columns_of(balance))
      result.push_back({label_of(given, u, column->name), column->unit(given, u), column->digits});
  const auto unknown_of = [&](const LedgerLine& line) -> const casefile::UnknownOfCase& {
    return given.unknown(static_cast<std::size_t>(line.unknown));
  };
  for (const auto& line : lines)
    result.push_back({store::flow_name(line.name, line.kind == LedgerLine::Kind::boundary),
                      unknown_of(line).flow_scale.unit});
  // Amounts and contents close the budget: every digit of them.
  for (const auto& line : lines)
    result.push_back({store::amount_name(line.name), unknown_of(line).amount_unit, 15});
  for (std::size_t u = 0; u < unknowns; ++u)
    result.push_back({label_of(given, u, store::name_of(SeriesRole::budget_residual)), "", 3});
  result.push_back({store::name_of(SeriesRole::interpolated), "", 1});
  return result;
}

Recorder::Recorder(const Case& given, Discretization& balance, const std::vector<LedgerLine>& lines,
                   std::filesystem::path folder, const RecorderMemory* from)
    : given_(&given),
      balance_(&balance),
      lines_(lines),
      time_(series_time(given)),
      sights_(sights_of(given)),
      series_(std::move(folder) / "series.csv", layout_of_series(given, balance, lines),
              from ? from->series : store::SeriesWriter::Mark()),
      amounts_(lines.size(), 0.0) {
  for (std::size_t u = 0; u < given.count(); ++u) flow_scales_.push_back(given.unknown(u).flow_scale);
  begin_stage(given, balance);
}

void Recorder::begin_stage(const Case& given, Discretization& balance) {
  given_ = &given;
  balance_ = &balance;
  sights_ = sights_of(given);
  column_of_line_.clear();
  for (const auto& line : balance.lines())
    column_of_line_.push_back(
        static_cast<std::size_t>(std::ranges::find(lines_, line.name, &LedgerLine::name) - lines_.begin()));
  earlier_ = amounts_;
}

void Recorder::go_on(const RecorderMemory& from) {
  earlier_ = amounts_ = from.earlier;
  last_row_ = from.last_row;
}

RecorderMemory Recorder::remember() {
  return {series_.mark(), earlier_, last_row_};
}

void Recorder::series(const StepInfo& m, const RowMeasures& measured) {
  if (has_row(m.time)) return;
  last_row_ = m.time;
  Cells amounts;
  for (std::size_t l = 0; l < m.budget.amounts().size(); ++l) {
    const std::size_t column = column_of_line_[l];
    amounts_[column] = earlier_[column] + m.budget.amounts()[l];
    amounts.emplace_back(amounts_[column]);
  }
  append(
      {m.time, measured, measured.flows, amounts, m.budget.relative_residual(), &m.budget, m.between_steps});
}

void Recorder::row_of_steady(const State& y, const Totals& totals, const Ledger& flows, Real residual) {
  Cells cells(flows.size());
  for (std::size_t l = 0; l < flows.size(); ++l) cells[l] = flows[l];
  append({0, Measures(*given_, *balance_).of(y, 0, totals), cells, Cells(flows.size()), residual, nullptr,
          false});
}

void Recorder::append(const Row& r) {
  Cells row{time_.shown(r.time)};
  const std::size_t unknowns = balance_->unknowns().size();
  row.insert(row.end(), r.measured.seen.begin(), r.measured.seen.end());
  row.insert(row.end(), r.measured.columns.begin(), r.measured.columns.end());
  Cells flows(lines_.size()), amounts(lines_.size());
  for (std::size_t l = 0; l < r.flows.size(); ++l) {
    const std::size_t column = column_of_line_[l];
    if (r.flows[l])
      flows[column] =
          flow_scales_[static_cast<std::size_t>(lines_[column].unknown)].shown_difference(*r.flows[l]);
  }
  for (std::size_t l = 0; l < r.amounts.size(); ++l) amounts[column_of_line_[l]] = r.amounts[l];
  row.insert(row.end(), flows.begin(), flows.end());
  row.insert(row.end(), amounts.begin(), amounts.end());
  if (unknowns == 1) {
    row.emplace_back(r.residual);
  } else {
    for (std::size_t u = 0; u < unknowns; ++u)
      row.emplace_back(r.budget ? std::optional(r.budget->relative_residual_of(u, r.measured.each[u]))
                                : std::nullopt);
  }
  row.emplace_back(r.between_steps ? 1 : 0);
  series_.append(row);
}

}  // namespace williwaw::study
