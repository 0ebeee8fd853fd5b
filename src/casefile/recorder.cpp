#include "recorder.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "williwaw/casefile/answer.hpp"
#include "williwaw/verify/shape.hpp"

namespace williwaw::casefile {

namespace {

std::vector<Real> shares_of(const DiffusionBalance& balance) {
  std::vector<Real> result;
  if (balance.outline().whole()) return result;
  // As cut, before anything was shifted to walls that hold a value.
  const Outline outline(balance.grid(), balance.problem().regions());
  for (Index n = 0; n < balance.grid().count(); ++n) result.push_back(std::min(1.0, outline.share(n)));
  return result;
}

// Numbers of a record that tell the velocity.
std::size_t velocities(const store::Description& about, const Grid& grid) {
  return about.velocity ? static_cast<std::size_t>(grid.rank() * grid.count()) : 0;
}

store::Description description_of(const Case& given) {
  store::Description d;
  d.title = given.title;
  d.unknown = given.problem.equation().unknown;
  d.length = given.length;
  d.time = given.time;
  d.value = given.value;
  d.case_text = given.text;
  d.version = version;
  d.steady = given.steady.has_value();
  d.stages = given.stages;
  const auto& stream = given.problem.equation().stream;
  d.velocity = stream && !stream->law;
  if (!given.flow_unit.empty()) d.velocity_unit = "m/s";
  return d;
}

}  // namespace

Recorder::Recorder(const Case& given, DiffusionBalance& balance, const std::vector<LedgerLine>& lines,
                   std::filesystem::path folder, const RecorderMemory* from)
    : given_(&given),
      balance_(&balance),
      folder_(std::move(folder)),
      lines_(lines),
      about_(description_of(given)),
      shares_(shares_of(balance)),
      fields_(folder_ / "fields.journal",
              Field(balance.grid()).raw().size() + 2 + velocities(about_, balance.grid()),
              from ? from->fields : 0),
      series_(folder_ / "series.csv", columns(), from ? from->series : 0),
      since_(balance.lines().size()) {
  begin_stage(0, given, balance);
}

void Recorder::begin_stage(Index stage, const Case& given, DiffusionBalance& balance) {
  stage_ = stage;
  given_ = &given;
  balance_ = &balance;
  column_of_line_.clear();
  for (const auto& line : balance.lines())
    column_of_line_.push_back(
        static_cast<std::size_t>(std::ranges::find(lines_, line.name, &LedgerLine::name) - lines_.begin()));
  since_ = Ledger(balance.lines().size());
  elapsed_ = 0;
}

void Recorder::go_on(const RecorderMemory& from) {
  since_ = from.since;
  elapsed_ = from.elapsed;
  last_row_ = from.last_row;
  last_record_ = from.last_record;
  comparisons_ = from.comparisons;
}

RecorderMemory Recorder::remember() {
  fields_.flush();
  return {fields_.rows(), series_.bytes(), since_, elapsed_, last_row_, last_record_, comparisons_};
}

void Recorder::count(const Moment& m) {
  since_.add(m.amounts, 1);
  elapsed_ += m.step_length;
}

void Recorder::series(const Moment& m) {
  // A row that a record, or the end of a stage, at the same time has written already is not repeated.
  if (last_row_ && *last_row_ == m.time) return;
  last_row_ = m.time;
  std::vector<std::optional<Real>> flows;
  for (std::size_t l = 0; l < since_.size(); ++l)
    flows.push_back(elapsed_ > 0 ? std::optional(since_[l] / elapsed_) : std::nullopt);
  row(m.time, m.state, m.totals, flows, m.budget.relative_residual());
  since_.clear();
  elapsed_ = 0;
}

void Recorder::row(Real time, const State& y, const Totals& totals,
                   const std::vector<std::optional<Real>>& flows, Real residual) {
  std::vector<std::optional<Real>> row{given_->time.shown(time)};
  if (!given_->probes.empty()) {
    const Field field = balance_->field(y, time);
    for (const auto& p : given_->probes) row.push_back(given_->value.shown(field.sample(p.at)));
  }
  row.push_back(given_->value.shown(totals.lowest));
  row.push_back(given_->value.shown(totals.integral / balance_->volume()));
  row.push_back(given_->value.shown(totals.highest));
  if (balance_->motion()) {
    row.push_back(totals.kinetic);
    row.push_back(totals.potential);
  }
  row.push_back(totals.content);
  if (balance_->transport()) {
    const verify::Shape shape = verify::shape_of(*balance_, y);
    row.push_back(shape.variation * given_->value.factor);
    row.push_back(shape.square * given_->value.factor * given_->value.factor);
    row.push_back(static_cast<Real>(shape.extrema));
  }
  std::vector<std::optional<Real>> all(lines_.size());
  for (std::size_t l = 0; l < flows.size(); ++l) all[column_of_line_[l]] = flows[l];
  row.insert(row.end(), all.begin(), all.end());
  row.push_back(residual);
  series_.append(row);
}

void Recorder::record(const Moment& m) {
  if (last_record_ && *last_record_ == m.time) return;
  last_record_ = m.time;
  record(m.time, m.state);
}

void Recorder::record(Real time, const State& y) {
  const Field field = balance_->field(y, time);
  std::vector<Real> numbers(field.raw().begin(), field.raw().end());
  if (about_.velocity) {
    const auto count = static_cast<std::size_t>(balance_->grid().count());
    const std::size_t first = numbers.size();
    numbers.resize(first + velocities(about_, balance_->grid()));
    const FaceVelocities& stream = balance_->transport(time, y)->velocities();
    for (int a = 0; a < balance_->grid().rank(); ++a)
      stream.at_unknowns(a, {numbers.data() + first + static_cast<std::size_t>(a) * count, count});
  }
  fields_.append(std::array{time, static_cast<Real>(stage_)}, numbers);
  if (const auto n = against_exact(*given_, *balance_, field, time)) comparisons_.push_back({time, *n});
}

void Recorder::finish() {
  Field field(balance_->grid());
  field.leave_out(balance_->absent());
  store::FieldWriter writer(folder_ / "fields.nc", field.grid(), about_, shares_);
  fields_.each([&](std::span<const Real> row) {
    const std::size_t raw = field.raw().size();
    field.set_raw(row.subspan(2, raw));
    writer.append(row[0], field, static_cast<int>(row[1]), row.subspan(2 + raw));
  });
  writer.finish();
  series_.finish(true);
}

void Recorder::clean() {
  series_.remove_partial();
  fields_.remove();
}

std::vector<store::Column> Recorder::columns() const {
  std::vector<store::Column> result{{"t", given_->time.unit}};
  for (const auto& p : given_->probes) result.push_back({p.name, given_->value.unit});
  for (const char* name : {"minimum", "mean", "maximum"}) result.push_back({name, given_->value.unit});
  const bool wave = balance_->motion() != nullptr;
  if (wave) {
    result.push_back({"kinetic energy", given_->amount_unit});
    result.push_back({"potential energy", given_->amount_unit});
  }
  result.push_back({wave ? "energy" : "total", given_->amount_unit});
  if (balance_->transport()) {
    result.push_back({"total variation", given_->problem.grid().rank() == 1 ? given_->value.unit : ""});
    result.push_back({"total of squares", ""});
    result.push_back({"extrema", ""});
  }
  for (const auto& line : lines_)
    result.push_back(
        {line.kind == LedgerLine::Kind::wall ? "inflow " + line.name : line.name, given_->flow_unit});
  result.push_back({"budget residual", ""});
  return result;
}

}  // namespace williwaw::casefile
