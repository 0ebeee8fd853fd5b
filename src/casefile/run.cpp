#include "williwaw/casefile/run.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <fstream>

#include "run_log.hpp"
#include "williwaw/store/series.hpp"

namespace williwaw::casefile {

namespace {

using store::Column;

class Recorder {
 public:
  Recorder(const Case& given, Prepared& prepared, const RunOptions& options)
      : given_(given),
        balance_(*prepared.balance),
        fields_(options.folder / "fields.nc", given.problem.grid(),
                {given.title, given.problem.equation().unknown, given.length, given.time, given.value,
                 given.text, version}),
        series_(options.folder / "series.csv", columns(given, balance_)),
        since_(balance_.lines().size()) {
    if (given.exact_is_initial) exact_ = balance_.initial_state();
  }

  void count(const Moment& m) {
    since_.add(m.amounts, 1);
    elapsed_ += m.step_length;
  }

  void series(const Moment& m) {
    // A row that a record at the same time has written already is not repeated.
    if (last_row_ && *last_row_ == m.time) return;
    last_row_ = m.time;
    std::vector<std::optional<Real>> row{given_.time.shown(m.time)};
    if (!given_.probes.empty()) {
      const Field field = balance_.field(m.state, m.time);
      for (const auto& p : given_.probes) row.push_back(given_.value.shown(field.sample(p.at)));
    }
    const Real volume = balance_.grid().volume();
    row.push_back(given_.value.shown(m.totals.lowest));
    row.push_back(given_.value.shown(m.totals.integral / volume));
    row.push_back(given_.value.shown(m.totals.highest));
    row.push_back(m.totals.content);
    for (std::size_t l = 0; l < since_.size(); ++l)
      row.push_back(elapsed_ > 0 ? std::optional(since_[l] / elapsed_) : std::nullopt);
    row.push_back(m.budget.relative_residual());
    series_.append(row);
    since_.clear();
    elapsed_ = 0;
  }

  void record(const Moment& m) {
    if (last_record_ && *last_record_ == m.time) return;
    last_record_ = m.time;
    const Field field = balance_.field(m.state, m.time);
    fields_.append(m.time, field);
    ++records;
    if (!given_.exact) return;
    Norms n = given_.exact_is_initial ? field.difference(Field(field.grid(), exact_))
                                      : against_formula(field, m.time);
    n.l1 = std::abs(given_.value.shown_difference(n.l1));
    n.l2 = std::abs(given_.value.shown_difference(n.l2));
    n.max = std::abs(given_.value.shown_difference(n.max));
    comparisons.push_back({m.time, n});
  }

  void finish() {
    fields_.finish();
    series_.finish();
  }

  std::vector<Comparison> comparisons;
  Index records = 0;

 private:
  static std::vector<Column> columns(const Case& c, const DiffusionBalance& balance) {
    std::vector<Column> result{{"t", c.time.unit}};
    for (const auto& p : c.probes) result.push_back({p.name, c.value.unit});
    for (const char* name : {"minimum", "mean", "maximum"}) result.push_back({name, c.value.unit});
    result.push_back({"total", c.amount_unit});
    for (const auto& line : balance.lines())
      result.push_back(
          {line.kind == LedgerLine::Kind::wall ? "inflow " + line.name : line.name, c.flow_unit});
    result.push_back({"budget residual", ""});
    return result;
  }

  Norms against_formula(const Field& field, Real time) const {
    const Grid& g = field.grid();
    State exact(static_cast<std::size_t>(g.count()));
    Points line(g.size(0));
    for (Index k = 0; k < g.size(2); ++k)
      for (Index j = 0; j < g.size(1); ++j) {
        for (Index i = 0; i < g.size(0); ++i) line.set(i, g.point(i, j, k));
        given_.exact->function.evaluate(
            line, time, {exact.data() + g.number(0, j, k), static_cast<std::size_t>(g.size(0))});
      }
    return field.difference(Field(g, exact));
  }

  const Case& given_;
  DiffusionBalance& balance_;
  store::FieldWriter fields_;
  store::SeriesWriter series_;
  Ledger since_;
  Real elapsed_ = 0;
  State exact_;
  std::optional<Real> last_row_, last_record_;
};

}  // namespace

std::filesystem::path default_folder(const std::filesystem::path& case_file) {
  return case_file.stem().string() + ".out";
}

RunResult run_case(const Case& given, Prepared& prepared, const RunOptions& options) {
  RunResult result;
  State state = std::move(prepared.initial);
  std::filesystem::create_directories(options.folder);
  RunLog log(options.folder / "run.log");
  log.write(fmt::format("williwaw {}: {}", version, given.file.string()));
  log.write(brief_report(given, prepared).text());
  Recorder recorder(given, prepared, options);
  const auto& extra = options.observers;
  Observers observers;
  observers.on_step = [&](const Moment& m) {
    recorder.count(m);
    if (extra.on_step) extra.on_step(m);
  };
  observers.on_series = [&](const Moment& m) {
    recorder.series(m);
    if (extra.on_series) extra.on_series(m);
  };
  observers.on_record = [&](const Moment& m) {
    recorder.record(m);
    if (extra.on_record) extra.on_record(m);
  };
  observers.interrupt = extra.interrupt;

  const auto start = std::chrono::steady_clock::now();
  result.outcome = march(*prepared.balance, state, prepared.plan, observers);
  result.seconds = std::chrono::duration<Real>(std::chrono::steady_clock::now() - start).count();
  recorder.finish();
  result.comparisons = recorder.comparisons;
  result.records = recorder.records;
  store::write_file(options.folder / "case.toml", given.text);
  result.files = {"fields.nc", "series.csv", "summary.json", "case.toml", "run.log"};
  const Report closing = closing_report(given, prepared, result);
  Report whole = check_report(given, prepared);
  whole.append(closing);
  store::write_file(options.folder / "summary.json", whole.json());
  log.write(closing.text());
  return result;
}

}  // namespace williwaw::casefile
