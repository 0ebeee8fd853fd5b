#include "williwaw/casefile/run.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <fstream>

#include "checkpoint.hpp"
#include "gauges.hpp"
#include "recorder.hpp"
#include "run_log.hpp"
#include "stages.hpp"

namespace williwaw::casefile {

namespace {

// What flows through every face of every wall: side by side along walls, for tables and figures.
void write_walls(const Case& given, DiffusionBalance& balance, const State& y, Real time,
                 const std::filesystem::path& file) {
  const Grid& g = balance.grid();
  std::string text = "wall";
  for (int a = 0; a < g.rank(); ++a)
    text += "," + store::Column{g.axis(a).name(), given.length.unit}.header();
  const int dimension = g.volume_dimension() - 1;
  const std::string unit = given.length.unit.empty() || dimension == 0
                               ? ""
                               : given.length.unit + (dimension == 1 ? "" : "^" + std::to_string(dimension));
  text += "," + store::Column{"area", unit}.header() + "," + store::Column{"flux", given.flux_unit}.header() +
          "," + store::Column{given.problem.equation().unknown + " on the wall", given.value.unit}.header() +
          "\n";
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

namespace {

using Clock = std::chrono::steady_clock;

// One run of a case in all its stages.
class Run {
 public:
  Run(const Case& given, Prepared& prepared, const RunOptions& options)
      : given_(given), first_(prepared), options_(options), log_(options.folder / "run.log", options.resume) {
    log_.write(fmt::format("williwaw {}: {}", version, given.file.string()));
    log_.write(brief_report(given, prepared).text());
  }

  RunResult go() {
    std::optional<Checkpoint> from = checkpoint();
    if (!given_.stages.empty()) planned_ = planned_stages(given_, first_);
    recorder_.emplace(given_, *first_.balance, lines_of_all(first_, planned_), options_.folder,
                      from ? &from->recorder : nullptr);
    const auto start = Clock::now();
    const Case* now = &given_;
    Prepared* ready = &first_;
    if (from && from->stage > 0) enter_stage(from->stage, from->stage_start, from->stage_initial, now, ready);
    for (;;) {
      State state = ready->initial;
      stage_initial_ = stage_ > 0 ? state : State();
      last_look_ = Clock::now();
      result_.outcome = march_stage(*now, *ready, state, from ? &*from : nullptr);
      from.reset();
      result_.seconds = std::chrono::duration<Real>(Clock::now() - start).count();
      ready->initial = state;  // what reports may still look at
      const bool over = result_.outcome.ending != Outcome::Ending::reached ||
                        stage_ >= static_cast<Index>(given_.stages.size());
      if (over) {
        finish(*now, *ready, state);
        return std::move(result_);
      }
      const Report words = words_of(*now, *ready);
      log_.write(words.text());
      past_.append(words);
      enter_stage(stage_ + 1, result_.outcome.time, state, now, ready);
    }
  }

 private:
  std::optional<Checkpoint> checkpoint() {
    const auto file = Checkpoint::file_in(options_.folder);
    if (!options_.resume || !std::filesystem::exists(file)) {
      std::filesystem::remove(file);
      return std::nullopt;
    }
    Checkpoint found = Checkpoint::load(options_.folder);
    if (found.case_text != given_.text)
      throw InputError(
          file.string() +
          ": belongs to another case than this one: run without --resume, or with the case as it was (" +
          (options_.folder / "case.toml").string() + ")");
    log_.write(fmt::format("resumed at step {}", found.snapshot.steps));
    result_.resumed_at = found.snapshot.steps;
    return found;
  }

  void enter_stage(Index stage, Real start, const State& initial, const Case*& now, Prepared*& ready) {
    stage_ = stage;
    stage_start_ = start;
    later_case_ = std::make_unique<Case>(stage_of(given_, stage, start, initial));
    later_ = std::make_unique<Prepared>(prepare(*later_case_, {first_.plan.threads}));
    now = later_case_.get();
    ready = later_.get();
    recorder_->begin_stage(stage, *now, *ready->balance);
    log_.write(brief_report(*now, *ready).text());
    if (options_.on_stage) options_.on_stage(*now, *ready);
  }

  Outcome march_stage(const Case& now, Prepared& ready, State& state, const Checkpoint* from) {
    Observers observers;
    const Observers& extra = options_.observers;
    observers.on_step = extra.on_step;
    observers.on_series = [&](const Moment& m) {
      recorder_->series(m);
      if (extra.on_series) extra.on_series(m);
    };
    observers.on_record = [&](const Moment& m) {
      recorder_->record(m);
      if (extra.on_record) extra.on_record(m);
    };
    observers.interrupt = extra.interrupt;
    observers.on_trial = [&](const StepTrial& t) { note_trial(now, t); };
    SettledWatch& settled = *ready.settled;
    observers.arrived = [&](const Moment& m) { return has_arrived(ready, m); };
    observers.snapshot_due = [this] { return due(); };
    observers.on_snapshot = [&](const Snapshot& s) { keep(s, ready); };
    if (from) {
      recorder_->go_on(from->recorder);
      settled.recall(from->settled);
      if (ready.cycle) ready.cycle->recall(from->cycle);
    }
    return march(*ready.balance, state, ready.plan, observers, from ? &from->snapshot : nullptr);
  }

  // The clock is not looked at after every step of a small problem.
  bool due() {
    if (options_.checkpoint_seconds > 0 && ++looks_ % 16 != 0 && given_.problem.grid().count() < 20000)
      return false;
    return std::chrono::duration<Real>(Clock::now() - last_look_).count() >= options_.checkpoint_seconds;
  }

  // Settled, or repeating: whichever the case waits for; both are looked at all the same.
  static bool has_arrived(const Prepared& ready, const Moment& m) {
    const bool settled = ready.settled->known() && ready.settled->look(m) && ready.ends_when_settled;
    const bool repeats = ready.cycle && ready.cycle->look(m) && ready.cycle->ends_run();
    return settled || repeats;
  }

  void keep(const Snapshot& s, const Prepared& ready) {
    Checkpoint c;
    c.case_text = given_.text;
    c.stage = stage_;
    c.stage_start = stage_start_;
    c.stage_initial = stage_initial_;
    c.snapshot = s;
    c.recorder = recorder_->remember();
    c.settled = ready.settled->remember();
    if (ready.cycle) c.cycle = ready.cycle->remember();
    c.save(options_.folder);
    last_look_ = Clock::now();
  }

  void note_trial(const Case& now, const StepTrial& t) {
    steps_ += fmt::format("{:.12g},{:.10g},{:.6g},{}\n", now.time.shown(t.from),
                          now.time.shown_difference(t.length), t.error, t.taken ? 1 : 0);
  }

  Report words_of(const Case& now, const Prepared& ready) {
    result_.comparisons = recorder_->comparisons();
    Report words;
    const std::string title =
        stage_ == 0 ? "as written" : given_.stages[static_cast<std::size_t>(stage_ - 1)];
    return words.append(closing_report(now, ready, result_),
                        given_.stages.empty() ? "" : fmt::format("stage {}, {}: ", stage_ + 1, title));
  }

  void finish(const Case& now, Prepared& ready, const State& state) {
    const bool interrupted = result_.outcome.ending == Outcome::Ending::interrupted;
    const auto& folder = options_.folder;
    recorder_->finish();
    result_.comparisons = recorder_->comparisons();
    result_.records = recorder_->records();
    result_.files = {"fields.nc", "series.csv"};
    if (!steps_.empty()) {
      const std::string unit = given_.time.unit;
      store::write_file(folder / "steps.csv", store::Column{"t", unit}.header() + "," +
                                                  store::Column{"step", unit}.header() +
                                                  ",error over tolerance,taken\n" + steps_);
      result_.files.emplace_back("steps.csv");
    }
    // A blown-up state has no flows worth a table.
    if (result_.outcome.ending != Outcome::Ending::blew_up) {
      write_walls(now, *ready.balance, state, result_.outcome.time, folder / "walls.csv");
      result_.files.emplace_back("walls.csv");
    }
    if (ready.balance->motion() && result_.outcome.ending == Outcome::Ending::reached)
      for (const auto& f : write_spectra(now, *ready.balance, folder)) result_.files.push_back(f);
    store::write_file(folder / "case.toml", given_.text);
    for (const char* f : {"summary.json", "case.toml", "run.log"}) result_.files.emplace_back(f);
    const Report last = words_of(now, ready);
    result_.closing = past_;
    result_.closing.append(last);
    if (ready.balance->motion()) gauges_section(now, folder, result_.closing);
    if (result_.resumed_at)
      result_.closing.section("resumed").note(
          fmt::format("from the checkpoint at step {}; what came before is in run.log", *result_.resumed_at));
    if (result_.outcome.ending == Outcome::Ending::blew_up && stage_ == 0)
      first_.refuted = "it blew up at " + given_.duration(result_.outcome.time);
    Report whole = check_report(given_, first_);
    whole.append(result_.closing);
    store::write_file(folder / "summary.json", whole.json());
    log_.write(last.text());
    if (interrupted) return;
    // The checkpoint first: without it nobody misses what it points to.
    std::filesystem::remove(Checkpoint::file_in(folder));
    recorder_->clean();
  }

  const Case& given_;
  Prepared& first_;
  const RunOptions& options_;
  RunLog log_;
  std::vector<PlannedStage> planned_;
  std::optional<Recorder> recorder_;
  std::unique_ptr<Case> later_case_;
  std::unique_ptr<Prepared> later_;
  Index stage_ = 0;
  Real stage_start_ = 0;
  State stage_initial_;
  Report past_;
  std::string steps_;
  Clock::time_point last_look_;
  Index looks_ = 0;
  RunResult result_;
};

RunResult run_steady(const Case& given, Prepared& prepared, const RunOptions& options) {
  RunResult result;
  RunLog log(options.folder / "run.log");
  log.write(fmt::format("williwaw {}: {}", version, given.file.string()));
  log.write(brief_report(given, prepared).text());
  Recorder recorder(given, *prepared.balance, prepared.balance->lines(), options.folder);
  const auto start = Clock::now();
  State state = std::move(prepared.initial);
  SteadyRules rules = *given.steady;
  rules.threads = prepared.plan.threads;
  const SteadyOutcome found = solve_steady(*prepared.balance, state, 0, rules);
  const Real gross = found.flows.gross();
  recorder.row_of_steady(state, found.totals, found.flows, gross > 0 ? std::abs(found.left) / gross : 0);
  recorder.record(0, state);
  result.seconds = std::chrono::duration<Real>(Clock::now() - start).count();
  recorder.finish();
  recorder.clean();
  write_residuals(found, options.folder / "residuals.csv");
  write_walls(given, *prepared.balance, state, 0, options.folder / "walls.csv");
  result.steady = found;
  result.comparisons = recorder.comparisons();
  result.records = recorder.records();
  store::write_file(options.folder / "case.toml", given.text);
  result.files = {"fields.nc",    "series.csv", "residuals.csv", "walls.csv",
                  "summary.json", "case.toml",  "run.log"};
  prepared.initial = std::move(state);  // what reports may still look at
  result.closing = closing_report(given, prepared, result);
  Report whole = check_report(given, prepared);
  whole.append(result.closing);
  store::write_file(options.folder / "summary.json", whole.json());
  log.write(result.closing.text());
  return result;
}

}  // namespace

RunResult run_case(const Case& given, Prepared& prepared, const RunOptions& options) {
  std::filesystem::create_directories(options.folder);
  if (given.steady) return run_steady(given, prepared, options);
  return Run(given, prepared, options).go();
}

}  // namespace williwaw::casefile
