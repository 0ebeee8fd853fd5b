#include "study/run/recorder.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "study/run/columns/kinds.hpp"
#include "study/run/derived.hpp"
#include "study/wording.hpp"
#include "williwaw/store/apart.hpp"
#include "williwaw/study/answer.hpp"

namespace williwaw::study {

namespace {

std::vector<Real> fractions_of(const Case& given, const Discretization& balance) {
  std::vector<Real> result;
  if (balance.outline().whole()) return result;
  // As cut, before anything was shifted to boundaries that hold a value.
  const Outline outline(balance.grid(), given.problem.regions());
  for (Index n = 0; n < balance.grid().count(); ++n)
    result.push_back(std::min(1.0, outline.volume_fraction(n)));
  return result;
}

// Numbers of a record that tell the velocity.
std::size_t velocities(const store::Description& about, const Grid& grid) {
  return about.velocity ? static_cast<std::size_t>(grid.dimension() * grid.count()) : 0;
}

store::Description description_of(const Case& given, const Discretization& balance) {
  store::Description d;
  d.title = given.title;
  d.unknown = balance.unknowns().front().name;
  for (std::size_t u = 1; u < balance.unknowns().size(); ++u)
    d.others.push_back({balance.unknowns()[u].name, scale_of(given, u)});
  for (const DerivedField& derived : derived_fields(given)) d.others.push_back({derived.name, derived.scale});
  for (const casefile::VectorOfUnknowns& vector : given.vectors) {
    d.vectors.push_back({vector.name, {}});
    for (const std::size_t c : vector.components)
      d.vectors.back().components.push_back(balance.unknowns()[c].name);
  }
  d.length = given.length;
  d.time = given.time;
  d.value = given.value;
  d.case_text = given.text;
  d.version = version;
  d.steady = given.steady.has_value();
  d.stages = given.stages;
  const auto& advection = given.problem.equation().advection;
  d.velocity = advection && !advection->law;
  if (!given.flow_unit.empty()) d.velocity_unit = "m/s";
  return d;
}

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

Recorder::Recorder(const Case& given, Discretization& balance, const std::vector<LedgerLine>& lines,
                   std::filesystem::path folder, const RecorderMemory* from)
    : given_(&given),
      balance_(&balance),
      folder_(std::move(folder)),
      lines_(lines),
      about_(description_of(given, balance)),
      time_(series_time(given)),
      fractions_(fractions_of(given, balance)),
      sights_(sights_of(given)),
      fields_(folder_ / "fields.journal", row_length(given, balance), from ? from->fields : 0),
      series_(folder_ / "series.csv", columns(), from ? from->series : store::SeriesWriter::Mark()),
      amounts_(lines.size(), 0.0) {
  begin_stage(0, given, balance);
}

std::size_t Recorder::row_length(const Case& given, const Discretization& balance) {
  return 2 + (balance.unknowns().size() + derived_fields(given).size()) * Field::raw_size(given.grid()) +
         velocities(description_of(given, balance), given.grid());
}

void Recorder::begin_stage(Index stage, const Case& given, Discretization& balance) {
  stage_ = stage;
  given_ = &given;
  balance_ = &balance;
  derived_ = derived_fields(given);
  sights_ = sights_of(given);
  column_of_line_.clear();
  for (const auto& line : balance.lines())
    column_of_line_.push_back(
        static_cast<std::size_t>(std::ranges::find(lines_, line.name, &LedgerLine::name) - lines_.begin()));
  earlier_ = amounts_;
}

void Recorder::go_on(const RecorderMemory& from) {
  earlier_ = amounts_ = from.earlier;
  last_.row = from.last_row;
  last_.record = from.last_record;
  comparisons_ = from.comparisons;
}

RecorderMemory Recorder::remember() {
  fields_.flush();
  return {fields_.rows(), series_.mark(), earlier_, last_.row, last_.record, comparisons_};
}

void Recorder::series(const StepInfo& m, const RowMeasures& measured) {
  if (has_row(m.time)) return;
  last_.row = m.time;
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
  for (const Cells* cells : {&r.flows, &r.amounts}) {
    Cells all(lines_.size());
    for (std::size_t l = 0; l < cells->size(); ++l) all[column_of_line_[l]] = (*cells)[l];
    row.insert(row.end(), all.begin(), all.end());
  }
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

void Recorder::record(const StepInfo& m) {
  if (last_.record && *last_.record == m.time) return;
  last_.record = m.time;
  record(m.time, m.state);
}

void Recorder::record(Real time, const State& y) {
  const FieldsOfState fields = fields_of(*given_, *balance_, y, time);
  const std::array head{time, static_cast<Real>(stage_)};
  std::vector<std::span<const Real>> pieces{head};
  for (const Field& field : fields.shown) pieces.emplace_back(field.raw());
  std::vector<Field> follow;
  for (const DerivedField& derived : derived_) follow.push_back(derived.from(fields));
  for (const Field& field : follow) pieces.emplace_back(field.raw());
  std::vector<Real> numbers;
  if (about_.velocity) {
    const auto count = static_cast<std::size_t>(balance_->grid().count());
    numbers.resize(velocities(about_, balance_->grid()));
    const auto advection = balance_->advection(time, y);
    const FaceVelocities& velocities_now = advection->velocities();
    for (int a = 0; a < balance_->grid().dimension(); ++a)
      velocities_now.at_unknowns(a, {numbers.data() + static_cast<std::size_t>(a) * count, count});
  }
  pieces.emplace_back(numbers);
  fields_.append_pieces(pieces);
  for (std::size_t u = 0; u < fields.shown.size(); ++u)
    if (const auto n = against_exact(*given_, *balance_, fields.at_unknowns()[u], time, u))
      comparisons_.push_back({time, *n, u});
}

void Recorder::finish() {
  fields_.flush();
  const auto file = folder_ / "fields.nc";
  store::apart(file.string(), [&] { write_fields(file); });
  series_.finish(true);
}

void Recorder::write_fields(const std::filesystem::path& file) {
  std::vector<Field> fields;
  for (std::size_t u = 0; u < balance_->unknowns().size(); ++u) {
    fields.emplace_back(given_->grid());
    fields.back().leave_out(balance_->domain(u).inactive());
  }
  for (std::size_t d = 0; d < derived_.size(); ++d) {
    fields.emplace_back(given_->grid());
    fields.back().leave_out(balance_->domain(0).inactive());
  }
  store::FieldWriter writer(file, given_->grid(), about_, fractions_);
  fields_.each([&](std::span<const Real> row) {
    const std::size_t raw = fields.front().raw().size();
    std::size_t next = 2;
    for (Field& field : fields) {
      field.set_raw(row.subspan(next, raw));
      next += raw;
    }
    writer.append(row[0], fields, static_cast<int>(row[1]), row.subspan(next));
  });
  writer.finish();
}

void Recorder::clean() {
  series_.remove_partial();
  fields_.remove();
}

std::vector<store::Column> Recorder::columns() const {
  using store::SeriesRole;
  std::vector<store::Column> result{{store::name_of(SeriesRole::time), time_.unit, 12}};
  for (const Sight& sight : sights_) result.push_back({sight.label, sight.scale.unit});
  for (std::size_t u = 0; u < balance_->unknowns().size(); ++u)
    for (const SeriesColumn* column : columns_of(*balance_))
      result.push_back({label_of(*given_, u, column->name), column->unit(*given_, u), column->digits});
  for (const auto& line : lines_)
    result.push_back(
        {store::flow_name(line.name, line.kind == LedgerLine::Kind::boundary), unknown_of(line).flow_unit});
  // Amounts and contents close the budget: every digit of them.
  for (const auto& line : lines_)
    result.push_back({store::amount_name(line.name), unknown_of(line).amount_unit, 15});
  for (std::size_t u = 0; u < balance_->unknowns().size(); ++u)
    result.push_back({label_of(*given_, u, store::name_of(SeriesRole::budget_residual)), "", 3});
  result.push_back({store::name_of(SeriesRole::interpolated), "", 1});
  return result;
}

const casefile::UnknownOfCase& Recorder::unknown_of(const LedgerLine& line) const {
  return given_->unknown(static_cast<std::size_t>(line.unknown));
}

}  // namespace williwaw::study
