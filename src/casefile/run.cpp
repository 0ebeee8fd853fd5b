#include "williwaw/casefile/run.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <fstream>

#include "run_log.hpp"
#include "settled.hpp"
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
                 given.text, version, given.steady.has_value()},
                shares_of(*prepared.balance)),
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
    std::vector<std::optional<Real>> flows;
    for (std::size_t l = 0; l < since_.size(); ++l)
      flows.push_back(elapsed_ > 0 ? std::optional(since_[l] / elapsed_) : std::nullopt);
    row(m.time, m.state, m.totals, flows, m.budget.relative_residual());
    since_.clear();
    elapsed_ = 0;
  }

  void row(Real time, const State& y, const Totals& totals, const std::vector<std::optional<Real>>& flows,
           Real residual) {
    std::vector<std::optional<Real>> row{given_.time.shown(time)};
    if (!given_.probes.empty()) {
      const Field field = balance_.field(y, time);
      for (const auto& p : given_.probes) row.push_back(given_.value.shown(field.sample(p.at)));
    }
    row.push_back(given_.value.shown(totals.lowest));
    row.push_back(given_.value.shown(totals.integral / balance_.volume()));
    row.push_back(given_.value.shown(totals.highest));
    row.push_back(totals.content);
    row.insert(row.end(), flows.begin(), flows.end());
    row.push_back(residual);
    series_.append(row);
  }

  void record(const Moment& m) {
    if (last_record_ && *last_record_ == m.time) return;
    last_record_ = m.time;
    record(m.time, m.state);
  }

  void record(Real time, const State& y) {
    const Field field = balance_.field(y, time);
    fields_.append(time, field);
    ++records;
    if (!given_.exact) return;
    Norms n = given_.exact_is_initial ? field.difference(Field(field.grid(), exact_))
                                      : against_formula(field, time);
    n.l1 = std::abs(given_.value.shown_difference(n.l1));
    n.l2 = std::abs(given_.value.shown_difference(n.l2));
    n.max = std::abs(given_.value.shown_difference(n.max));
    comparisons.push_back({time, n});
  }

  void finish() {
    fields_.finish();
    series_.finish();
  }

  std::vector<Comparison> comparisons;
  Index records = 0;

 private:
  static std::vector<Real> shares_of(const DiffusionBalance& balance) {
    std::vector<Real> result;
    if (balance.outline().whole()) return result;
    // As cut, before anything was shifted to walls that hold a value.
    const Outline outline(balance.grid(), balance.problem().regions());
    for (Index n = 0; n < balance.grid().count(); ++n) result.push_back(std::min(1.0, outline.share(n)));
    return result;
  }

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

Outcome march_recorded(Prepared& prepared, State& state, Recorder& recorder, const Observers& extra) {
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
  SettledWatch& settled = *prepared.settled;
  const bool ends_run = prepared.ends_when_settled;
  if (settled.known())
    observers.arrived = [&settled, ends_run](const Moment& m) { return settled.look(m) && ends_run; };
  return march(*prepared.balance, state, prepared.plan, observers);
}

// What flows through every face of every wall: side by side along walls, for tables and figures.
void write_walls(const Case& given, DiffusionBalance& balance, const State& y, Real time,
                 const std::filesystem::path& file) {
  const Grid& g = balance.grid();
  std::string text = "wall";
  for (int a = 0; a < g.rank(); ++a) text += "," + Column{g.axis(a).name(), given.length.unit}.header();
  const int dimension = g.volume_dimension() - 1;
  const std::string unit = given.length.unit.empty() || dimension == 0
                               ? ""
                               : given.length.unit + (dimension == 1 ? "" : "^" + std::to_string(dimension));
  text += "," + Column{"area", unit}.header() + "," + Column{"flux", given.flux_unit}.header() + "," +
          Column{given.problem.equation().unknown + " on the wall", given.value.unit}.header() + "\n";
  for (std::size_t s = 0; s < balance.closures().size(); ++s) {
    const auto flows = balance.section_flows(s, y, time);
    const Closure& wall = balance.closures()[s];
    for (Index f = 0; f < wall.faces(); ++f) {
      const WallFace& face = wall.face(f);
      text += wall.section().name;
      for (int a = 0; a < g.rank(); ++a)
        text += fmt::format(",{:.10g}", given.length.shown(face.place[g.slot(a)]));
      text += fmt::format(",{:.10g},{:.10g},{:.10g}\n", std::pow(given.length.factor, dimension) * face.area,
                          flows[static_cast<std::size_t>(f)] / face.area,
                          given.value.shown(wall.wall_value(f, y[face.unknown])));
    }
  }
  store::write_file(file, text);
}

void write_residuals(const SteadyOutcome& outcome, const std::filesystem::path& file) {
  std::string text = "iteration,relative residual\n";
  for (std::size_t n = 0; n < outcome.residuals.size(); ++n)
    text += fmt::format("{},{:.10g}\n", n, outcome.residuals[n]);
  store::write_file(file, text);
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
  const auto start = std::chrono::steady_clock::now();
  Real end = 0;
  if (given.steady) {
    SteadyRules rules = *given.steady;
    rules.threads = prepared.plan.threads;
    const SteadyOutcome found = solve_steady(*prepared.balance, state, 0, rules);
    std::vector<std::optional<Real>> flows;
    for (std::size_t l = 0; l < found.flows.size(); ++l) flows.emplace_back(found.flows[l]);
    const Real gross = found.flows.gross();
    recorder.row(0, state, found.totals, flows, gross > 0 ? std::abs(found.left) / gross : 0);
    recorder.record(0, state);
    write_residuals(found, options.folder / "residuals.csv");
    result.steady = found;
  } else {
    result.outcome = march_recorded(prepared, state, recorder, options.observers);
    end = result.outcome.time;
  }
  result.seconds = std::chrono::duration<Real>(std::chrono::steady_clock::now() - start).count();
  recorder.finish();
  // A blown-up state has no flows worth a table.
  if (result.outcome.ending != Outcome::Ending::blew_up)
    write_walls(given, *prepared.balance, state, end, options.folder / "walls.csv");
  result.comparisons = recorder.comparisons;
  result.records = recorder.records;
  store::write_file(options.folder / "case.toml", given.text);
  result.files = {"fields.nc", "series.csv", "walls.csv", "summary.json", "case.toml", "run.log"};
  if (given.steady) result.files.insert(result.files.begin() + 2, "residuals.csv");
  if (result.outcome.ending == Outcome::Ending::blew_up) std::erase(result.files, "walls.csv");
  prepared.initial = std::move(state);  // what reports may still look at
  const Report closing = closing_report(given, prepared, result);
  Report whole = check_report(given, prepared);
  whole.append(closing);
  store::write_file(options.folder / "summary.json", whole.json());
  log.write(closing.text());
  return result;
}

}  // namespace williwaw::casefile
