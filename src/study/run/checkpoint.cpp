#include "study/run/checkpoint.hpp"

namespace williwaw::study {

namespace {

using store::Archive;

std::vector<Real> numbers_of(const Ledger& ledger) {
  std::vector<Real> numbers;
  for (std::size_t l = 0; l < ledger.size(); ++l) numbers.push_back(ledger[l]);
  return numbers;
}

Ledger ledger_of(const std::vector<Real>& numbers) {
  Ledger ledger(numbers.size());
  for (std::size_t l = 0; l < numbers.size(); ++l) ledger[LineId(l)] = numbers[l];
  return ledger;
}

std::vector<Real> maybe(const std::optional<Real>& value) {
  return value ? std::vector<Real>{*value} : std::vector<Real>{};
}

std::optional<Real> maybe(const std::vector<Real>& values) {
  return values.empty() ? std::nullopt : std::optional(values[0]);
}

void put(Archive& a, const Totals& t) {
  a.put(std::vector<Real>{t.content, t.gross, t.integral, t.lowest, t.highest, t.kinetic, t.potential});
}

void put(Archive& a, const store::SeriesWriter::Mark& mark) {
  a.put(static_cast<std::int64_t>(mark.bytes));
  a.put(static_cast<std::int64_t>(mark.checksum));
}

store::SeriesWriter::Mark take_mark(Archive& a) {
  const std::int64_t bytes = a.whole(), checksum = a.whole();
  return {static_cast<std::uintmax_t>(bytes), static_cast<std::uint32_t>(checksum)};
}

Totals take_totals(Archive& a) {
  const auto v = a.reals();
  Totals t;
  t.content = v.at(0);
  t.gross = v.at(1);
  t.integral = v.at(2);
  t.lowest = v.at(3);
  t.highest = v.at(4);
  t.kinetic = v.at(5);
  t.potential = v.at(6);
  return t;
}

void put(Archive& a, const Budget& budget) {
  a.put(static_cast<std::int64_t>(budget.lines().size()));
  for (const auto& line : budget.lines()) {
    a.put(line.name);
    a.put(static_cast<std::int64_t>(line.kind));
    a.put(line.side);
  }
  a.put(numbers_of(budget.amounts()));
  a.put(budget.remember());
}

Budget take_budget(Archive& a) {
  std::vector<LedgerLine> lines(a.count(3 * sizeof(std::int64_t)));
  for (auto& line : lines) {
    line.name = a.text();
    line.kind = static_cast<LedgerLine::Kind>(a.whole());
    line.side = a.text();
  }
  const Ledger amounts = ledger_of(a.reals());
  return Budget::recall(std::move(lines), amounts, a.reals());
}

void put(Archive& a, const Snapshot& s) {
  a.put(s.time);
  for (const Index n : {s.steps, s.rejected, static_cast<Index>(s.interval), s.step_of_interval})
    a.put(static_cast<std::int64_t>(n));
  a.put(s.state);
  put(a, s.totals);
  put(a, s.budget);
  a.put(s.guard.remember());
  a.put(s.stepper.numbers);
  a.put(static_cast<std::int64_t>(s.stepper.states.size()));
  for (const auto& state : s.stepper.states) a.put(state);
  a.put(static_cast<std::int64_t>(s.stepper.ledgers.size()));
  for (const auto& ledger : s.stepper.ledgers) a.put(numbers_of(ledger));
  const ControlMemory& c = s.control;
  std::vector<Real> control{
      c.next, c.last_error, c.scale, c.lowest, c.highest, c.rejected ? 1.0 : 0.0, static_cast<Real>(c.jumps)};
  for (const auto& [lowest, highest] : c.ranges) control.insert(control.end(), {lowest, highest});
  a.put(control);
  a.put(s.left_by_solver);
  a.put(std::vector<Real>{s.shortest_step, s.longest_step, static_cast<Real>(s.most_stages), s.lowest,
                          s.highest});
}

Snapshot take_snapshot(Archive& a) {
  Snapshot s;
  s.time = a.real();
  s.steps = a.whole();
  s.rejected = a.whole();
  s.interval = static_cast<std::size_t>(a.whole());
  s.step_of_interval = a.whole();
  s.state = a.reals();
  s.totals = take_totals(a);
  s.budget = take_budget(a);
  s.guard = Guard::recall(a.reals());
  s.stepper.numbers = a.reals();
  for (auto n = a.count(sizeof(std::int64_t)); n > 0; --n) s.stepper.states.push_back(a.reals());
  for (auto n = a.count(sizeof(std::int64_t)); n > 0; --n) s.stepper.ledgers.push_back(ledger_of(a.reals()));
  const auto c = a.reals();
  s.control = {c.at(0), c.at(1), c.at(2), c.at(3), c.at(4), c.at(5) != 0, static_cast<Index>(c.at(6))};
  for (std::size_t n = 7; n + 1 < c.size(); n += 2) s.control.ranges.emplace_back(c[n], c[n + 1]);
  s.left_by_solver = a.real();
  const auto steps = a.reals();
  s.shortest_step = steps.at(0);
  s.longest_step = steps.at(1);
  s.most_stages = static_cast<int>(steps.at(2));
  s.lowest = steps.at(3);
  s.highest = steps.at(4);
  return s;
}

}  // namespace

void Checkpoint::save(const std::filesystem::path& folder) const {
  Archive a;
  a.put(case_text);
  a.put(static_cast<std::int64_t>(stage));
  a.put(stage_start);
  a.put(stage_initial);
  put(a, snapshot);
  a.put(std::vector<Real>(fields.rows.begin(), fields.rows.end()));
  a.put(maybe(fields.last));
  put(a, recorder.series);
  a.put(recorder.earlier);
  a.put(maybe(recorder.last_row));
  std::vector<Real> compared;
  for (const auto& c : fields.comparisons)
    compared.insert(compared.end(), {c.time, c.norms.l1, c.norms.l2, c.norms.max,
                                     static_cast<Real>(c.norms.where), static_cast<Real>(c.unknown)});
  a.put(compared);
  a.put(settled.last);
  a.put(maybe(settled.done_at));
  a.put(cycle.before);
  a.put(static_cast<std::int64_t>(cycle.cycles));
  a.put(cycle.change);
  put(a, steps);
  a.put(past);
  if (std::filesystem::exists(file_in(folder))) store::replace(file_in(folder), earlier_in(folder));
  a.save(file_in(folder), version);
}

void Checkpoint::remove(const std::filesystem::path& folder) {
  // The earlier one first: alone it would point to what may be gone.
  store::remove_file(earlier_in(folder));
  store::remove_file(file_in(folder));
}

Checkpoint Checkpoint::load(const std::filesystem::path& folder, std::string& trouble) {
  try {
    return read(file_in(folder));
  } catch (const store::StoreError& e) {
    if (!std::filesystem::exists(earlier_in(folder))) throw;
    trouble = std::string(e.what()) + "; the one before it is taken";
    return read(earlier_in(folder));
  }
}

Checkpoint Checkpoint::read(const std::filesystem::path& file) try {
  Archive a = Archive::load(file, version);
  Checkpoint c;
  c.case_text = a.text();
  c.stage = a.whole();
  c.stage_start = a.real();
  c.stage_initial = a.reals();
  c.snapshot = take_snapshot(a);
  for (const Real rows : a.reals()) c.fields.rows.push_back(static_cast<std::size_t>(rows));
  c.fields.last = maybe(a.reals());
  c.recorder.series = take_mark(a);
  c.recorder.earlier = a.reals();
  c.recorder.last_row = maybe(a.reals());
  const auto compared = a.reals();
  for (std::size_t n = 0; n + 5 < compared.size(); n += 6)
    c.fields.comparisons.push_back(
        {compared[n],
         {compared[n + 1], compared[n + 2], compared[n + 3], static_cast<Index>(compared[n + 4])},
         static_cast<std::size_t>(compared[n + 5])});
  c.settled.last = a.real();
  c.settled.done_at = maybe(a.reals());
  c.cycle.before = a.reals();
  c.cycle.cycles = a.whole();
  c.cycle.change = a.real();
  c.steps = take_mark(a);
  c.past = a.text();
  return c;
} catch (const std::out_of_range&) {
  throw store::StoreError(file.string() + ": is damaged: numbers are missing in it");
}

}  // namespace williwaw::study
