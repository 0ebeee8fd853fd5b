#include "study/run/field_recorder.hpp"

#include <algorithm>
#include <numeric>

#include "study/run/region_outlines.hpp"
#include "study/wording.hpp"
#include "williwaw/store/apart.hpp"
#include "williwaw/study/answer.hpp"
#include "williwaw/study/series_columns.hpp"

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

// A velocity that advects, as a field beside the unknowns.
bool has_velocity(const Case& given) {
  const auto& advection = given.problem.equation().advection;
  return advection && !advection->law;
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
  d.start_date = given.start_date;
  d.outlines = region_outlines(given);
  d.stages = given.stages;
  d.velocity = has_velocity(given);
  if (!given.flow_scale.unit.empty()) d.velocity_unit = "m/s";
  return d;
}

}  // namespace

store::RecordShape shape_of_records(const Case& given) {
  return {given.grid(), given.count() + derived_fields(given).size(), has_velocity(given)};
}

FieldRecorder::FieldRecorder(const Case& given, std::filesystem::path folder, Communicator& ranks,
                             const FieldMemory* from)
    : folder_(std::move(folder)), ranks_(ranks), shape_(shape_of_records(given)), journals_(folder_) {
  if (from) {
    earlier_ = from->rows;
    while (!earlier_.empty() && earlier_.back() == 0) earlier_.pop_back();
    last_ = from->last;
    comparisons_ = from->comparisons;
  }
  if (ranks_.rank() == 0) journals_.cut_back(shape_, earlier_);
}

void FieldRecorder::begin_stage(Index stage, const Case& given, Discretization& balance) {
  stage_ = stage;
  given_ = &given;
  balance_ = &balance;
  derived_ = derived_fields(given);
  const store::OwnRanges ranges = store::own_ranges(given.cells ? balance.grid().at_cells() : balance.grid());
  // A set goes on where every rank has the same unknowns as before.
  const bool same_here =
      own_ ? own_->own() == ranges
           : !earlier_.empty() &&
                 store::FieldJournal::is_of(journals_.file(earlier_.size() - 1, ranks_.rank()), ranges);
  const bool same = ranks_.highest(same_here ? 0 : 1) == 0;
  if (own_ && same) return;
  if (own_ && own_->rows() > 0) earlier_.push_back(own_->rows());
  own_.reset();
  std::size_t rows = 0;
  if (same) {
    rows = earlier_.back();
    earlier_.pop_back();
  }
  own_.emplace(journals_.file(earlier_.size(), ranks_.rank()), shape_, ranges, rows);
}

void FieldRecorder::record(Real time, const State& y) {
  if (last_ && *last_ == time) return;
  last_ = time;
  const FieldsOfState fields = fields_of(*given_, *balance_, y, time);
  std::vector<Field> all = fields.shown;
  for (const DerivedField& derived : derived_) all.push_back(derived.from(fields));
  std::vector<Real> velocity;
  if (shape_.velocity) {
    const auto count = static_cast<std::size_t>(balance_->grid().count());
    velocity.resize(count * static_cast<std::size_t>(balance_->grid().dimension()));
    const auto advection = balance_->advection(time, y);
    for (int a = 0; a < balance_->grid().dimension(); ++a)
      advection->velocities().at_unknowns(a, {velocity.data() + static_cast<std::size_t>(a) * count, count});
  }
  own_->append(time, static_cast<int>(stage_), all, velocity);
  for (std::size_t u = 0; u < given_->count(); ++u)
    if (const auto n = against_exact(*given_, *balance_, fields.at_unknowns()[u], time, u))
      comparisons_.push_back({time, *n, u});
}

void FieldRecorder::flush() {
  if (own_) own_->flush();
}

FieldMemory FieldRecorder::remember() {
  flush();
  FieldMemory memory{earlier_, last_, comparisons_};
  if (own_) memory.rows.push_back(own_->rows());
  return memory;
}

Index FieldRecorder::records() const {
  const std::size_t rows = std::accumulate(earlier_.begin(), earlier_.end(), own_ ? own_->rows() : 0);
  return static_cast<Index>(rows);
}

void FieldRecorder::finish(const Case& given, const Discretization& whole) {
  write_fields(given, whole, folder_, remember().rows);
}

void write_fields(const Case& given, const Discretization& whole, const std::filesystem::path& folder,
                  const std::vector<std::size_t>& rows) {
  const auto file = folder / "fields.nc";
  // Before there are two processes: threads are not copied with one.
  const store::Description about = description_of(given, whole);
  const std::vector<Real> fractions = fractions_of(given, whole);
  const store::RecordShape shape = shape_of_records(given);
  store::apart(file.string(), [&] {
    store::FieldWriter writer(file, given.grid(), about, fractions);
    store::FieldJournals(folder).each(shape, rows,
                                      [&](store::RecordSource& record) { writer.append(record); });
    writer.finish();
  });
}

}  // namespace williwaw::study
