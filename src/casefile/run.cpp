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

const char* ending_text(Outcome::Ending ending) {
  switch (ending) {
    case Outcome::Ending::reached:
      return "reached its end";
    case Outcome::Ending::blew_up:
      return "blew up";
    case Outcome::Ending::interrupted:
      break;
  }
  return "was interrupted";
}

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

Report closing_report(const Case& given, const Prepared& prepared, const RunResult& result) {
  const Outcome& o = result.outcome;
  const Budget& b = o.budget;
  Report report;
  const auto amount = [&](const std::string& label, Real v) {
    report.row(label, fmt::format("{:>14} {}", fmt::format("{:.6g}", v), given.amount_unit), Report::Data(v),
               given.amount_unit);
  };
  report.section("end");
  report.row("the run",
             fmt::format("{} at {} after {} steps, in {:.2g} s", ending_text(o.ending),
                         readable(given.time.shown(o.time), given.time.unit), o.steps, result.seconds),
             Report::Data(std::string(ending_text(o.ending))));
  report.row("time", readable(given.time.shown(o.time), given.time.unit),
             Report::Data(given.time.shown(o.time)), given.time.unit);
  report.row("steps", std::to_string(o.steps), Report::Data(o.steps));
  const Real mean = o.totals.integral / given.problem.grid().volume();
  for (const auto& [label, v] :
       {std::pair{"minimum", o.totals.lowest}, {"mean", mean}, {"maximum", o.totals.highest}})
    report.row(label, readable(given.value.shown(v), given.value.unit), Report::Data(given.value.shown(v)),
               given.value.unit);
  if (!o.solver.empty()) report.row("solver", o.solver);

  report.section("budget");
  amount("at the start", b.initial_content());
  if (b.jump() != 0) amount("jump to held walls", b.jump());
  for (std::size_t l = 0; l < b.lines().size(); ++l)
    amount((b.lines()[l].kind == LedgerLine::Kind::wall ? "in through " : "from ") + b.lines()[l].name,
           b.amounts()[l]);
  amount("at the end", b.content());
  report.row("not accounted for",
             fmt::format("{:>14} {}  ({:.2g} of content and flows; worst step {:.2g})",
                         fmt::format("{:.2e}", b.residual()), given.amount_unit, b.relative_residual(),
                         b.worst_step()),
             Report::Data(b.residual()), given.amount_unit);
  report.row("relative residual", fmt::format("{:>14}", fmt::format("{:.2e}", b.relative_residual())),
             Report::Data(b.relative_residual()));
  if (!o.solver.empty())
    report.row("left by the solver",
               fmt::format("{:>14} {}", fmt::format("{:.2e}", o.left_by_solver), given.amount_unit),
               Report::Data(o.left_by_solver), given.amount_unit);

  report.section("settled?");
  const Real rate = o.last_step > 0 ? o.change / o.last_step : 0;
  const Real per_unit = given.value.shown_difference(rate) / given.time.shown_difference(1);
  report.row("change in the last step",
             fmt::format("{} at most; {} for each {}",
                         readable(given.value.shown_difference(o.change), given.value.unit),
                         readable(per_unit, given.value.unit),
                         given.time.unit.empty() ? "unit of time" : given.time.unit),
             Report::Data(given.value.shown_difference(o.change)), given.value.unit);
  if (const auto slowest = prepared.stability.smallest_eigenvalue;
      slowest && *slowest > 0 && o.ending == Outcome::Ending::reached)
    report.row("still to go",
               fmt::format("about {:.2g}{} if data stay as they are (last rate over the slowest decay)",
                           given.value.shown_difference(rate / *slowest), given.value.suffix()),
               Report::Data(given.value.shown_difference(rate / *slowest)), given.value.unit);

  if (!result.comparisons.empty()) {
    report.section("against the exact solution");
    for (const auto& c : result.comparisons)
      report.row("at " + readable(given.time.shown(c.time), given.time.unit),
                 fmt::format("mean {:.3e}, root mean square {:.3e}, largest {:.3e}{}", c.norms.l1, c.norms.l2,
                             c.norms.max, given.value.suffix()),
                 Report::Data(c.norms.max), given.value.unit);
  }
  if (o.ending == Outcome::Ending::blew_up) {
    report.section("what happened");
    report.note(o.reason);
    if (!prepared.stability.stable())
      report.note(fmt::format("the step was {}, but {}", given.duration(prepared.longest_step),
                              forecast(given, prepared)));
    report.note("everything recorded up to here was kept");
  }
  return report;
}

}  // namespace williwaw::casefile
