#include "williwaw/study/run.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "study/run/checkpoint.hpp"
#include "study/run/kept_case.hpp"
#include "study/run/probe_spectra.hpp"
#include "study/run/ranked_march.hpp"
#include "study/run/recorder.hpp"
#include "study/run/run_log.hpp"
#include "study/run/stages.hpp"
#include "study/run/tables.hpp"
#include "study/wording.hpp"
#include "williwaw/grid/expect.hpp"
#include "williwaw/study/end_values.hpp"
#include "williwaw/study/memory.hpp"
#include "williwaw/study/ranks.hpp"

namespace williwaw::study {

std::filesystem::path default_folder(const std::filesystem::path& case_file) {
  return case_file.stem().string() + ".out";
}

namespace {

using Clock = std::chrono::steady_clock;

// Bytes at the peaks of the first rank and of the largest of the others; all of them ask together.
std::string peaks_in_words(Communicator& ranks) {
  const Real own = peak_of_this_process();
  const Real others = ranks.highest(ranks.rank() == 0 ? 0 : own);
  return fmt::format("ranks: {} at the peak of the first one, at most {} of another", readable_bytes(own),
                     readable_bytes(others));
}

void note_results(const std::filesystem::path& folder, const std::vector<std::string>& names) {
  std::vector<std::filesystem::path> files;
  for (const std::string& name : names) files.push_back(folder / name);
  store::note_written(folder, store::WrittenFor::run, files);
}

// One run of a case in all its stages.
class Run {
 public:
  Run(const Case& given, Prepared& prepared, const RunOptions& options)
      : given_(given),
        first_(prepared),
        options_(options),
        lock_(std::make_shared<store::FolderLock>(options.folder)),
        log_(options.folder / "run.log", options.resume) {
    result_.lock = lock_;
    log_.write(fmt::format("williwaw {}: {}", version, given.file.string()));
    log_.write(brief_report(given, prepared).text());
    if (options.shared())
      log_.write(fmt::format(
          "  ranks      {}",
          boxes_in_words(Decomposition(given.problem.grid(), options.boxes, 1), given.problem.grid())));
  }

  RunResult go() {
    std::optional<Checkpoint> from = checkpoint();
    if (options_.shared()) {
      std::array<Real, 1> found{from ? 1.0 : 0.0};
      options_.ranks->broadcast(found);
    }
    keep_case(given_, options_.folder);
    if (!given_.stages.empty()) planned_ = planned_stages(given_, first_);
    recorder_.emplace(given_, *first_.balance, lines_of_all(first_, planned_), options_.folder,
                      from ? &from->recorder : nullptr);
    fields_.emplace(given_, options_.folder, options_.communicator(), from ? &from->fields : nullptr);
    if (given_.plan.adaptive || std::ranges::any_of(planned_, [](const PlannedStage& p) {
          return p.given->plan.adaptive.has_value();
        }))
      steps_.emplace(options_.folder / "steps.csv", columns_of_steps(),
                     from ? from->steps : store::SeriesWriter::Mark());
    if (from && !from->past.empty()) past_ = Report::recall(from->past);
    const auto start = Clock::now();
    const Case* now = &given_;
    Prepared* ready = &first_;
    if (from && from->stage > 0) enter_stage(from->stage, from->stage_start, from->stage_initial, now, ready);
    for (;;) {
      State state = std::move(ready->initial);
      stage_.initial = stage_.number > 0 ? state : State();
      looks_.last = Clock::now();
      result_.outcome = march_stage(*now, *ready, state, from ? &*from : nullptr);
      log_.write(tiling_text(result_.outcome.tiling));
      from.reset();
      result_.seconds = std::chrono::duration<Real>(Clock::now() - start).count();
      ready->initial = std::move(state);  // what reports may still look at
      const bool over = result_.outcome.ending != Outcome::Ending::reached ||
                        stage_.number >= static_cast<Index>(given_.stages.size());
      if (over) {
        if (options_.shared()) log_.write(peaks_in_words(*options_.ranks));
        finish(*now, *ready, ready->initial);
        return std::move(result_);
      }
      const Report words = words_of(*now, *ready);
      log_.write(words.text());
      past_.append(words);
      enter_stage(stage_.number + 1, result_.outcome.time, ready->initial, now, ready);
    }
  }

 private:
  std::optional<Checkpoint> checkpoint() {
    const auto& folder = options_.folder;
    if (!options_.resume || !Checkpoint::exists(folder)) {
      Checkpoint::remove(folder);
      result_.earlier = store::clear_earlier(folder);
      return std::nullopt;
    }
    std::string trouble;
    Checkpoint found = Checkpoint::load(folder, trouble);
    if (!trouble.empty()) log_.write(trouble);
    if (found.case_text != given_.text) {
      if (!same_until_now(found))
        throw InputError(Checkpoint::file_in(folder).string() +
                         ": belongs to another case than this one, or to one whose data before the "
                         "checkpoint were others: run without --resume, or with the case as it was (" +
                         (folder / "case.toml").string() + ")");
      log_.write(
          "the case is another one since the checkpoint, with the same grid, scheme and data up to there");
    }
    log_.write(fmt::format("resumed at step {}", found.snapshot.steps));
    result_.resumed_at = found.snapshot.steps;
    return found;
  }

  // Whether the case of the checkpoint and this one are the same as far as they have been run: grid, lines of
  // the budget, steps, and the rates of a state at several times up to there, bit by bit.
  bool same_until_now(const Checkpoint& found) const try {
    if (found.stage > 0) return false;
    const Case before = open_case_text(found.case_text, given_.file);
    if (before.title != given_.title) return false;
    const Prepared then = prepare(before, {first_.plan.threads});
    Discretization &a = *then.balance, &b = *first_.balance;
    const Plan &p = then.plan, &q = first_.plan;
    const auto names = [](const Discretization& balance) {
      std::vector<std::string> all;
      for (const auto& line : balance.lines()) all.push_back(line.name);
      return all;
    };
    if (!(a.grid() == b.grid()) || names(a) != names(b) || before.stages != given_.stages ||
        before.probes.size() != given_.probes.size() || p.scheme.name != q.scheme.name || p.step != q.step ||
        p.start != q.start || p.series_every != q.series_every || p.records != q.records ||
        p.until != q.until || then.initial != first_.initial)
      return false;
    constexpr int samples = 9;
    const State& y = found.snapshot.state;
    for (int n = 0; n <= samples; ++n) {
      const Real at = p.start + (found.snapshot.time - p.start) * n / samples;
      State fa(y.size()), fb(y.size()), ya = y, yb = y;
      Ledger la(a.lines().size()), lb(b.lines().size());
      a.prescribe(at, ya);
      b.prescribe(at, yb);
      a.rate(ya, at, Parts::all(), fa, la);
      b.rate(yb, at, Parts::all(), fb, lb);
      if (ya != yb || fa != fb) return false;
    }
    return true;
  } catch (const InputError&) {
    return false;
  }

  void enter_stage(Index stage, Real start, const State& initial, const Case*& now, Prepared*& ready) {
    stage_.number = stage;
    stage_.start = start;
    later_case_ = std::make_unique<Case>(stage_of(given_, stage, start, initial));
    later_ = std::make_unique<Prepared>(prepare(*later_case_, {first_.plan.threads}));
    now = later_case_.get();
    ready = later_.get();
    recorder_->begin_stage(*now, *ready->balance);
    log_.write(brief_report(*now, *ready).text());
    if (options_.on_stage) options_.on_stage(*now, *ready);
  }

  Outcome march_stage(const Case& now, Prepared& ready, State& state, const Checkpoint* from) {
    Observers observers;
    const Observers& extra = options_.observers;
    observers.on_step = extra.on_step;
    Measures measures(now, *ready.balance);
    observers.on_series = [&](const StepInfo& m) {
      if (!recorder_->has_row(m.time)) recorder_->series(m, measures.of(m));
      if (extra.on_series) extra.on_series(m);
    };
    observers.on_record = [&](const StepInfo& m) {
      fields_->record(m.time, m.state);
      if (extra.on_record) extra.on_record(m);
    };
    observers.interrupt = extra.interrupt;
    observers.on_trial = [&](const StepTrial& t) { note_trial(now, t); };
    SettledWatch& settled = *ready.settled;
    observers.arrived = [&](const StepInfo& m) {
      return has_arrived(ready, m) || (extra.arrived && extra.arrived(m));
    };
    observers.looks_at = [&](Real time) {
      return settled.known() || (ready.cycle && ready.cycle->due(time)) ||
             (extra.arrived && (!extra.looks_at || extra.looks_at(time)));
    };
    observers.snapshot_due = [this] { return due(); };
    observers.on_snapshot = [&](const Snapshot& s) { keep(s, ready); };
    if (from) {
      recorder_->go_on(from->recorder);
      settled.recall(from->settled);
      if (ready.cycle) ready.cycle->recall(from->cycle);
    }
    const Snapshot* const snapshot = from ? &from->snapshot : nullptr;
    if (!options_.shared()) {
      fields_->begin_stage(stage_.number, now, *ready.balance);
      return march(*ready.balance, state, ready.plan, observers, snapshot);
    }
    const auto on_row = [&](const StepInfo& m, const RowMeasures& row) {
      recorder_->series(m, row);
      if (extra.on_series) extra.on_series(m);
    };
    return march_on_ranks(now, ready, state, {observers, on_row}, snapshot,
                          {*options_.ranks, options_.boxes, *fields_, stage_.number});
  }

  // The clock is not looked at after every step of a small problem.
  bool due() {
    if (options_.checkpoint_seconds > 0 && ++looks_.count % 16 != 0 && given_.problem.grid().count() < 20000)
      return false;
    return std::chrono::duration<Real>(Clock::now() - looks_.last).count() >= options_.checkpoint_seconds;
  }

  // Settled, or repeating: whichever the case waits for; both are looked at all the same.
  static bool has_arrived(const Prepared& ready, const StepInfo& m) {
    const bool settled = ready.settled->known() && ready.settled->look(m) && ready.ends_when_settled;
    const bool repeats = ready.cycle && ready.cycle->look(m) && ready.cycle->ends_run();
    return settled || repeats;
  }

  void keep(const Snapshot& s, const Prepared& ready) {
    Checkpoint c;
    c.case_text = given_.text;
    c.stage = stage_.number;
    c.stage_start = stage_.start;
    c.stage_initial = stage_.initial;
    c.snapshot = s;
    c.recorder = recorder_->remember();
    c.fields = fields_->remember();
    c.settled = ready.settled->remember();
    if (ready.cycle) c.cycle = ready.cycle->remember();
    if (steps_) c.steps = steps_->mark();
    c.past = past_.remember();
    c.save(options_.folder);
    looks_.last = Clock::now();
  }

  std::vector<store::Column> columns_of_steps() const {
    const auto& names = store::step_headers;
    return {
        {names[0], given_.time.unit, 12}, {names[1], given_.time.unit}, {names[2], "", 6}, {names[3], ""}};
  }

  void note_trial(const Case& now, const StepTrial& t) {
    if (steps_)
      steps_->append({now.time.shown(t.from), now.time.shown_difference(t.length), t.error, t.taken ? 1 : 0});
  }

  Report words_of(const Case& now, const Prepared& ready) {
    result_.comparisons = fields_->comparisons();
    Report words;
    const std::string title =
        stage_.number == 0 ? "as written" : given_.stages[static_cast<std::size_t>(stage_.number - 1)];
    return words.append(closing_report(now, ready, result_),
                        given_.stages.empty() ? "" : fmt::format("stage {}, {}: ", stage_.number + 1, title));
  }

  // Data that ended the run are told with their place in the case.
  void name_origin(const Case& now) {
    if (result_.outcome.subject == Subject::unspecified) return;
    const casefile::KeyPlace& at = now.places.of(result_.outcome.subject, result_.outcome.subject_name);
    result_.outcome.reason = at.place + ": " + at.key + ": " + result_.outcome.reason;
  }

  void finish(const Case& now, Prepared& ready, const State& state) {
    const bool goes_on = result_.outcome.ending == Outcome::Ending::interrupted ||
                         result_.outcome.ending == Outcome::Ending::unsolved;
    const auto& folder = options_.folder;
    name_origin(now);
    fields_->finish(given_, *first_.balance);
    recorder_->finish();
    result_.comparisons = fields_->comparisons();
    result_.records = fields_->records();
    result_.files = {"fields.nc", "series.csv"};
    if (steps_) {
      steps_->finish(true);
      result_.files.emplace_back("steps.csv");
    }
    // A blown-up state has no flows worth a table, and of data that are no numbers there are none.
    if (result_.outcome.ending != Outcome::Ending::blew_up && result_.outcome.subject == Subject::unspecified)
      for (const auto& f : write_boundaries(now, *ready.balance, state, result_.outcome.time, folder))
        result_.files.push_back(f);
    if (ready.balance->capabilities().second_order && result_.outcome.ending == Outcome::Ending::reached)
      for (const auto& f : write_spectra(now, *ready.balance, folder)) result_.files.push_back(f);
    store::write_file(folder / "case.toml", given_.text);
    for (const char* f : {"summary.json", "case.toml", "run.log"}) result_.files.emplace_back(f);
    const Report last = words_of(now, ready);
    result_.closing = past_;
    result_.closing.append(last);
    probe_values_section(folder, result_.closing);
    if (ready.balance->capabilities().second_order) probes_section(now, folder, result_.closing);
    if (result_.resumed_at)
      result_.closing.section("resumed").note(
          fmt::format("from the checkpoint at step {}", *result_.resumed_at));
    if (result_.outcome.ending == Outcome::Ending::blew_up && stage_.number == 0)
      first_.refuted = "it blew up at " + given_.duration(result_.outcome.time);
    Report whole = check_report(given_, first_);
    whole.append(result_.closing);
    whole.append(columns_section(folder / "series.csv"));
    store::write_file(folder / "summary.json", whole.json());
    note_results(folder, result_.files);
    log_.write(last.text());
    if (goes_on) return;
    // The checkpoint first: without it nobody misses what it points to.
    Checkpoint::remove(folder);
    fields_->clean();
    recorder_->clean();
    if (steps_) steps_->remove_partial();
    store::remove_file(kept_case(folder));
  }

  const Case& given_;
  Prepared& first_;
  const RunOptions& options_;
  std::shared_ptr<store::FolderLock> lock_;  ///< before anything in the folder is touched
  RunLog log_;
  std::vector<PlannedStage> planned_;
  std::optional<Recorder> recorder_;
  std::optional<FieldRecorder> fields_;
  std::unique_ptr<Case> later_case_;
  std::unique_ptr<Prepared> later_;
  /// The stage that runs, from when and from which state.
  struct Stage {
    Index number = 0;
    Real start = 0;
    State initial = {};
  };
  Stage stage_;
  Report past_;
  std::optional<store::SeriesWriter> steps_;
  /// At the clock, whether a checkpoint is due.
  struct Looks {
    Clock::time_point last = {};
    Index count = 0;
  };
  Looks looks_;
  RunResult result_;
};

RunResult run_steady(const Case& given, Prepared& prepared, const RunOptions& options) {
  RunResult result;
  result.lock = std::make_shared<store::FolderLock>(options.folder);
  RunLog log(options.folder / "run.log");
  log.write(fmt::format("williwaw {}: {}", version, given.file.string()));
  log.write(brief_report(given, prepared).text());
  result.earlier = store::clear_earlier(options.folder);
  keep_case(given, options.folder);
  Recorder recorder(given, *prepared.balance, prepared.balance->lines(), options.folder);
  FieldRecorder fields(given, options.folder, options.communicator());
  const auto start = Clock::now();
  State state = std::move(prepared.initial);
  SteadyRules rules = *given.steady;
  rules.threads = prepared.plan.threads;
  SteadyOutcome found;
  if (options.shared()) {
    found = solve_steady_on_ranks(given, rules, {*options.ranks, options.boxes, fields, 0}, &state);
  } else {
    found = solve_steady(*prepared.balance, state, 0, rules);
    fields.begin_stage(0, given, *prepared.balance);
    fields.record(0, state);
  }
  if (options.shared()) log.write(peaks_in_words(*options.ranks));
  const Real gross = found.flows.gross();
  recorder.row_of_steady(state, found.totals, found.flows, gross > 0 ? std::abs(found.left) / gross : 0);
  result.seconds = std::chrono::duration<Real>(Clock::now() - start).count();
  fields.finish(given, *prepared.balance);
  recorder.finish();
  write_residuals(found, options.folder / "residuals.csv");
  result.files = {"fields.nc", "series.csv", "residuals.csv"};
  for (const auto& f : write_boundaries(given, *prepared.balance, state, 0, options.folder))
    result.files.push_back(f);
  result.steady = found;
  result.comparisons = fields.comparisons();
  result.records = fields.records();
  store::write_file(options.folder / "case.toml", given.text);
  for (const char* f : {"summary.json", "case.toml", "run.log"}) result.files.emplace_back(f);
  prepared.initial = std::move(state);  // what reports may still look at
  result.closing = closing_report(given, prepared, result);
  probe_values_section(options.folder, result.closing);
  Report whole = check_report(given, prepared);
  whole.append(result.closing);
  whole.append(columns_section(options.folder / "series.csv"));
  store::write_file(options.folder / "summary.json", whole.json());
  note_results(options.folder, result.files);
  log.write(result.closing.text());
  fields.clean();
  recorder.clean();
  store::remove_file(kept_case(options.folder));
  return result;
}

}  // namespace

void refuse_on_ranks(const Case& given, const Prepared& prepared) {
  const auto refuse_solver = [&](const std::string& solver) {
    try {
      check_on_ranks(solver);
    } catch (const InputError& e) {
      throw given.places.error(e);
    }
  };
  if (given.steady) return refuse_solver(given.steady->solver);
  const Scheme& scheme = prepared.plan.scheme;
  if (std::holds_alternative<Factored>(scheme.method) || semi_lagrangian(scheme))
    throw given.places.error(Subject::scheme, "scheme '" + scheme.name +
                                                  "' runs on one rank: start it without a launcher, or take "
                                                  "another scheme, such as crank-nicolson or ssprk3");
  if (!is_explicit(scheme)) refuse_solver(given.plan.solver);
}

RunResult run_case(const Case& given, Prepared& prepared, const RunOptions& options) {
  if (options.shared()) refuse_on_ranks(given, prepared);
  expect(options.writes(), "run_case: the first rank, or a process alone");
  store::make_folder(options.folder);
  try {
    if (given.steady) return run_steady(given, prepared, options);
    return Run(given, prepared, options).go();
  } catch (const store::StoreError& e) {
    if (!store::FieldJournals(options.folder).exist()) throw;
    throw store::StoreError(
        fmt::format("{}\nearlier records are in {}: `williwaw recover {}` completes the files from it, "
                    "`williwaw run --resume` continues from the last checkpoint, if any",
                    e.what(), options.folder.string(), options.folder.string()));
  }
}

void run_beside(const Case& given, int threads, const RunOptions& options) {
  expect(!options.writes(), "run_beside: another rank than the first");
  if (given.steady) {
    FieldRecorder fields(given, options.folder, *options.ranks);
    const Shared shared{*options.ranks, options.boxes, fields, 0};
    SteadyRules rules = *given.steady;
    rules.threads = threads;
    solve_steady_on_ranks(given, rules, shared, nullptr);
    peaks_in_words(*options.ranks);
    return;
  }
  // A checkpoint as the first rank finds it; what is wrong with it is told there.
  std::array<Real, 1> found{0};
  options.ranks->broadcast(found);
  std::optional<Checkpoint> from;
  std::string trouble;
  if (found[0] != 0) from = Checkpoint::load(options.folder, trouble);
  Index stage = from ? from->stage : 0;
  FieldRecorder fields(given, options.folder, *options.ranks, from ? &from->fields : nullptr);
  std::optional<Case> later;
  if (stage > 0) later = stage_of(given, stage, from->stage_start, from->stage_initial);
  for (;;) {
    const MarchedPart part = march_beside(later ? *later : given, threads, from ? &from->snapshot : nullptr,
                                          {*options.ranks, options.boxes, fields, stage});
    from.reset();
    if (part.outcome.ending != Outcome::Ending::reached || stage >= static_cast<Index>(given.stages.size()))
      break;
    later = stage_of(given, ++stage, part.outcome.time, part.state, part.grids);
  }
  peaks_in_words(*options.ranks);
}

bool has_checkpoint(const std::filesystem::path& folder) {
  return Checkpoint::exists(folder);
}

}  // namespace williwaw::study
