#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <csignal>
#include <functional>
#include <utility>

#include "commands.hpp"
#include "launch.hpp"
#include "live_line.hpp"
#include "say.hpp"
#include "trials.hpp"
#include "watch.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/study/cost.hpp"
#include "williwaw/study/memory.hpp"
#include "williwaw/study/ranks.hpp"
#include "williwaw/study/samples.hpp"
#include "williwaw/study/trust.hpp"

namespace williwaw::cli {

namespace {

std::atomic<bool> interrupt_asked = false;

void ask_interrupt(int) {
  interrupt_asked = true;
}

// A reading that waits is told too, so that it can look.
void listen_for_signals() {
  struct sigaction action = {};
  action.sa_handler = ask_interrupt;
  sigaction(SIGINT, &action, nullptr);
  sigaction(SIGTERM, &action, nullptr);
}

// A folder with other files in it is somebody's; one with a run in it may be written again.
void check_folder(const std::filesystem::path& folder) {
  if (!std::filesystem::exists(folder)) return;
  if (!std::filesystem::is_directory(folder))
    throw InputError(folder.string() + ": is a file; give another name with -o");
  const auto known = [](const std::filesystem::directory_entry& entry) {
    return entry.path().filename() == "lock";
  };
  const bool foreign = std::ranges::any_of(std::filesystem::directory_iterator(folder), std::not_fn(known));
  if (foreign && !std::filesystem::exists(folder / "run.log"))
    throw InputError(folder.string() + ": contains other files; give another folder with -o");
}

std::filesystem::path folder_of(const RunArguments& arguments) {
  return arguments.folder.empty() ? study::default_folder(arguments.file) : arguments.folder;
}

// CASE.out, CASE-2.out, CASE-3.out ..
std::filesystem::path numbered(const std::filesystem::path& folder, Index number) {
  if (number <= 1) return folder;
  const auto whole = folder.has_filename() ? folder : folder.parent_path();
  return whole.parent_path() /
         fmt::format("{}-{}{}", whole.stem().string(), number, whole.extension().string());
}

Index next_number(const std::filesystem::path& folder) {
  Index number = 1;
  while (std::filesystem::exists(numbered(folder, number))) ++number;
  return number;
}

// Seconds since the last look at it.
class Stopwatch {
 public:
  Real lap() {
    const auto now = std::chrono::steady_clock::now();
    return std::chrono::duration<Real>(now - std::exchange(last_, now)).count();
  }

 private:
  std::chrono::steady_clock::time_point last_ = std::chrono::steady_clock::now();
};

struct Drawn {
  std::vector<std::filesystem::path> files = {};
  std::vector<std::string> complaints = {};
  std::vector<study::TimePart> times = {};
};

Drawn draw_figures(const casefile::Case& given, const study::Prepared& prepared,
                   const std::filesystem::path& folder) {
  Drawn drawn;
  if (given.figures.empty()) return drawn;
  const plot::RunFolder finished(folder);
  Stopwatch watch;
  for (const auto& figure : given.figures) {
    try {
      // What the analysis shows needs no results.
      if (const auto& kind = plot::figure_kind(figure.kind); kind.draw_case) {
        plot::Output out;
        out.file = folder / "figures" / (figure.kind + ".png");
        plot::draw_analysis(kind, given, prepared, out);
        drawn.files.push_back(out.file);

      } else {
        for (auto& file : plot::draw(finished, figure)) drawn.files.push_back(std::move(file));
      }
    } catch (const plot::PlotError& e) {
      drawn.complaints.emplace_back(e.what());
    }
    drawn.times.push_back({"figure " + figure.kind, watch.lap()});
  }
  store::note_written(folder, store::WrittenFor::run, drawn.files);
  return drawn;
}

// What helps against an unstable step; a smaller one does not where none is stable.
const char* remedy(const study::Prepared& prepared) {
  return prepared.stability.limit.step > 0 ? "Choose a smaller step"
                                           : "Choose another scheme or flux, since no step is stable";
}

int code_of(const Outcome& outcome) {
  switch (outcome.ending) {
    case Outcome::Ending::blew_up:
    case Outcome::Ending::past_limit:
      return unstable;
    case Outcome::Ending::unsolved:
      return not_met;
    case Outcome::Ending::interrupted:
      return interrupted;
    case Outcome::Ending::reached:
      break;
  }
  return done;
}

// How a grid is shared out: as is asked for, or among those that were started together.
Decomposition shared_boxes(const std::string& wanted, const casefile::Case& given, Communicator* together) {
  Execution execution;
  execution.communicator = together;
  execution.cuts_lines = study::cuts_lines(given);
  if (!wanted.empty()) execution.boxes = boxes_from(wanted);
  try {
    return decomposition_of(given.system(), execution);
  } catch (const InputError& e) {
    throw InputError("--ranks " + wanted + ": " + e.what());
  }
}

// The same, for all of those that were started together if it is asked for.
Decomposition boxes_of_all(const RunArguments& arguments, const casefile::Case& given,
                           Communicator* together) {
  Decomposition shared = shared_boxes(arguments.ranks, given, together);
  const int started = together ? together->size() : 1;
  if (!arguments.ranks.empty() && shared.count() != started)
    throw InputError(fmt::format("--ranks {}: {} box{} {} for {} rank{}, and {} {} started", arguments.ranks,
                                 shared.count(), shared.count() == 1 ? "" : "es",
                                 shared.count() == 1 ? "is" : "are", shared.count(),
                                 shared.count() == 1 ? "" : "s", started, started == 1 ? "is" : "are"));
  return shared;
}

// While the first of those that were started together looks at a case, the others wait for its word.
class OthersWait {
 public:
  explicit OthersWait(Communicator* together) : together_(together) {}
  OthersWait(const OthersWait&) = delete;
  OthersWait& operator=(const OthersWait&) = delete;
  // Without a word the run does not begin, and they end as well.
  ~OthersWait() { tell(false); }
  void begin() { tell(true); }
  static bool told_to_begin(Communicator& together) {
    std::array<Real, 1> word{0};
    together.broadcast(word);
    return word[0] != 0;
  }

 private:
  void tell(bool begins) {
    std::array<Real, 1> word{begins ? 1.0 : 0.0};
    if (together_) together_->broadcast(word);
    together_ = nullptr;
  }
  Communicator* together_;
};

// The part of another process than the first.
int run_beside(const RunArguments& arguments, const casefile::Case& given, Communicator& together) {
  if (!OthersWait::told_to_begin(together)) return done;
  std::array<Real, 1> number{1};
  together.broadcast(number);
  const Decomposition shared = boxes_of_all(arguments, given, &together);
  // Nobody where this process gets no box.
  const std::unique_ptr<Communicator> some = together.first_ones(shared.count());
  if (!some) return done;
  study::RunOptions options;
  options.ranks = some.get();
  options.boxes = shared.boxes();
  options.folder = numbered(folder_of(arguments), static_cast<Index>(number[0]));
  // The first one ends the run when a signal comes.
  listen_for_signals();
  march_begins();
  study::run_beside(given, threads_of_rank(arguments.threads), options);
  march_ends();
  return done;
}

// What is said of it before the run.
std::string ranks_in_words(const casefile::Case& given, int started, const Decomposition& boxes) {
  const std::string used =
      boxes.count() == started ? std::to_string(started) : fmt::format("{} of {}", boxes.count(), started);
  return fmt::format("  ranks      {}, {}, halo of {} cell{}{}\n", used,
                     study::boxes_in_words(boxes, given.problem.grid()), boxes.halo(),
                     boxes.halo() == 1 ? "" : "s",
                     boxes.count() == started ? ""
                                              : ": the grid cannot be cut further, along its first axis not "
                                                "at all");
}

// What somebody had drawn of an earlier run in the folder.
void tell_moved(const std::vector<store::Moved>& earlier, const std::filesystem::path& folder,
                study::Report& report) {
  for (const auto& moved : earlier)
    report.note(fmt::format("{} shows the results of an earlier run: it is {} now", moved.from,
                            (folder / moved.to).string()));
}

// All samples of a case, each in a folder of its own, and what they are like as a whole.
int run_samples(const RunArguments& arguments, const casefile::Case& given, const study::Prepared& prepared,
                const std::filesystem::path& folder) {
  store::make_folder(folder);
  std::vector<Trial> trials(static_cast<std::size_t>(given.samples));
  for (Index s = 0; s < given.samples; ++s) {
    Trial& trial = trials[static_cast<std::size_t>(s)];
    trial.label = fmt::format("sample {}", s);
    trial.sample = s;
    trial.folder = study::folder_of_sample(given, s, folder);
  }
  // Nobody else's: whoever comes later finds a run in it.
  std::vector<store::Moved> earlier;
  if (speaks()) {
    if (!arguments.resume) earlier = store::clear_earlier(folder);
    store::write_file(folder / "run.log", "");
  }
  const int processors = threads_of_rank(arguments.threads);
  const int jobs = std::min(processors, static_cast<int>(given.samples));
  listen_for_signals();
  run_trials(
      arguments.file, arguments.set,
      {.jobs = jobs,
       .threads = std::max(1, processors / jobs),
       .force = arguments.force,
       .remembered = true,
       .resume = arguments.resume,
       .checkpoint_seconds = arguments.checkpoint >= 0 ? std::optional(arguments.checkpoint) : std::nullopt,
       .memory = {arguments.memory},
       .ranks = started_together(),
       .interrupt = [] { return interrupt_asked.load(); }},
      trials);
  if (!speaks()) return done;
  const std::string table = table_of(trials, "run", given.steady.has_value());
  const bool talk = !arguments.quiet && !arguments.json;
  if (talk) say("{}\n", table);
  store::write_file(folder / "table.txt", table);
  for (const Trial& trial : trials)
    if (!trial.finished || (trial.verdict != "stable" && trial.verdict != "reached")) {
      fmt::print(stderr, "{}: {}: there are no statistics of all samples\n", trial.label,
                 trial.trouble.empty() ? trial.verdict : trial.trouble);
      return trial.verdict == "stopped" ? interrupted : not_met;
    }
  study::Report report = study::write_statistics(given, folder);
  if (arguments.trust) {
    report.append(study::trust_report(study::assess(arguments.file, arguments.set, {arguments.threads})));
    report.note("uncertainties are those of sample 0");
  }
  const Drawn drawn = draw_figures(given, prepared, folder);
  report.section("files").row("folder", folder.string());
  std::vector<std::filesystem::path> written;
  for (const char* f :
       {"fields.nc", "series.csv", "spread.csv", "table.txt", "summary.json", "case.toml", "run.log"}) {
    written.push_back(folder / f);
    report.note(written.back().string());
  }
  store::note_written(folder, store::WrittenFor::run, written);
  report.note(fmt::format("{} to {}: the samples themselves", trials.front().folder.string(),
                          trials.back().folder.string()));
  for (const auto& f : drawn.files) report.note(f.string());
  tell_moved(earlier, folder, report);
  if (arguments.json) {
    study::Report whole = report_of(trials, given.steady.has_value());
    whole.append(report);
    say("{}", whole.json());
  } else if (talk) {
    say("{}", report.text());
  }
  for (const auto& c : drawn.complaints) fmt::print(stderr, "a figure was not drawn: {}\n", c);
  return done;
}

// Why the field of a run cannot be drawn while it goes on; nothing where it can.
std::string why_not_watched(const casefile::Case& given, const study::RunOptions& options, bool talk) {
  if (!talk || !shows_pictures()) return "standard output is no terminal for pictures";
  if (given.steady) return "a steady state has no steps to look at";
  if (options.shared()) return "on several ranks no process has the whole field";
  return "";
}

}  // namespace

int check(const CheckArguments& arguments) {
  Communicator* const together = started_together();
  std::optional<Network> network;
  if (together) network = study::measured_network(*together);
  if (!speaks()) return done;
  // First, while this process is small and has one thread.
  std::optional<study::MemoryLook> memory;
  if (arguments.at.empty()) memory.emplace(arguments.file, arguments.set);
  const casefile::Case given = open_case(arguments.file, arguments.set, {},
                                         {arguments.memory, memory ? memory->known() : std::nullopt});
  study::Prepared prepared = study::prepare(given);
  plot::check_figures(given, prepared);
  // Nothing runs beside the steps that are timed.
  if (memory) prepared.memory = memory->bytes();
  if (arguments.at.empty()) prepared.seconds = study::measured_seconds(given, prepared);
  study::Report report = arguments.at.empty()
                             ? study::check_report(given, prepared)
                             : study::stencil_report(given, prepared, study::place_from(given, arguments.at));
  if (together || !arguments.ranks.empty())
    study::ranks_section(given, prepared, shared_boxes(arguments.ranks, given, together), network, report);
  say("{}", arguments.json ? report.json() : report.text());
  if (given.steady) return done;
  bool stable = prepared.stability.stable();
  for (const auto& stage : study::planned_stages(given, prepared))
    stable = stable && stage.prepared.stability.stable();
  return stable ? done : unstable;
}

int recover(const std::filesystem::path& folder) {
  const Index records = study::recover(folder);
  say("{}: {} whole field{} recovered; `williwaw run CASE --resume` continues from the last checkpoint, if "
      "any\n",
      (folder / "fields.nc").string(), records, records == 1 ? "" : "s");
  return done;
}

int run(const RunArguments& arguments) {
  // What all ranks find alike the first one tells.
  const auto complain = [](fmt::string_view form, const auto&... words) {
    if (speaks()) fmt::vprint(stderr, form, fmt::make_format_args(words...));
  };
  Stopwatch watch;
  std::vector<study::TimePart> times;
  const casefile::Case given = open_case(arguments.file, arguments.set, {}, {arguments.memory});
  times.push_back({"reading the case", watch.lap()});
  // Samples are runs of their own, of which each is done by one rank.
  Communicator* const together = given.samples > 1 ? nullptr : started_together();
  if (together && !speaks()) return run_beside(arguments, given, *together);
  OthersWait others(together);
  const Decomposition boxes = boxes_of_all(arguments, given, together);
  const int threads = together ? threads_of_rank(arguments.threads) : arguments.threads;
  study::Prepared prepared = study::prepare(given, {threads});
  plot::check_figures(given, prepared);
  // Stages that cannot be run are found before anything is said or done.
  const auto later =
      given.steady ? std::vector<study::PlannedStage>{} : study::planned_stages(given, prepared);
  const bool talk = !arguments.quiet && !arguments.json && speaks();
  if (given.steady && given.steady->solver == "auto" && boxes.count() > 1)
    prepared.steady->solver =
        "conjugate gradients with multigrid, or stabilized biconjugate gradients for a matrix that is not "
        "symmetric";
  if (talk) say("{}\n", study::brief_report(given, prepared).text());
  if (!given.steady && !prepared.stability.stable() && !arguments.force) {
    const auto& limit = prepared.stability.limit;
    const bool sharp =
        limit.standing == verify::Limit::Standing::sharp || prepared.longest_step > limit.unstable_from;
    complain("{}: time.step: {} {} unstable: {}. {}, or run it with --force\n",
             given.places.of(Subject::step).place, given.duration(prepared.longest_step),
             sharp ? "is" : "may be", study::forecast(given, prepared), remedy(prepared));
    return unstable;
  }

  if (!arguments.force)
    for (const auto& stage : later)
      if (!stage.prepared.stability.stable()) {
        complain("{}: time.step: {} is not stable in {}: {}. {}, or run it with --force\n",
                 stage.given->places.of(Subject::step).place, given.duration(stage.prepared.longest_step),
                 stage.title, study::forecast(*stage.given, stage.prepared), remedy(stage.prepared));
        return unstable;
      }

  if (arguments.force) prepared.plan.stable_values.reset();
  study::RunOptions options;
  if (boxes.count() > 1) study::refuse_on_ranks(given, prepared);
  if (talk && together) say("{}\n", ranks_in_words(given, together->size(), boxes));
  // Each rank of samples looks for itself, and would find what another one has begun.
  if (arguments.keep && given.samples > 1 && started_together())
    throw InputError("--keep: samples on ranks need a folder by name: give one with -o");
  const Index number = arguments.keep ? next_number(folder_of(arguments)) : 1;
  options.folder = numbered(folder_of(arguments), number);
  check_folder(options.folder);
  // A run that goes on was asked for at its start.
  const bool goes_on = arguments.resume && study::has_checkpoint(options.folder);
  if (!arguments.force && !goes_on)
    if (const auto why = study::too_costly(given, prepared, later, options.folder)) {
      complain("{}: {}; --force runs it all the same\n", arguments.file.string(), *why);
      return bad_input;
    }
  if (talk && !goes_on && std::filesystem::exists(options.folder / "run.log"))
    say("  folder     {}: the results of an earlier run there are replaced (--keep leaves them)\n\n",
        options.folder.string());
  const auto tell_unwatched = [&](const std::string& why) {
    if (talk) say("  watch      {}: what happens is told in lines\n\n", why);
  };
  if (given.samples > 1 && arguments.watch) tell_unwatched("samples run side by side");
  if (given.samples > 1) return run_samples(arguments, given, prepared, options.folder);
  std::unique_ptr<Communicator> some;
  if (together) {
    others.begin();
    std::array<Real, 1> told{static_cast<Real>(number)};
    together->broadcast(told);
    some = together->first_ones(boxes.count());
    options.ranks = some.get();
    options.boxes = boxes.boxes();
    // From here on one of them may meet what the others do not.
    if (options.shared()) march_begins();
  }
  LiveLine live(given, prepared, !talk, options.shared());
  std::optional<Watch> watch_page;
  if (arguments.watch) {
    const std::string why = why_not_watched(given, options, talk);
    if (why.empty())
      watch_page.emplace(
          given, prepared, live, [] { interrupt_asked = true; }, [] { return interrupt_asked.load(); });
    else
      tell_unwatched(why);
  }
  options.observers.on_step = [&](const StepInfo& m) {
    if (watch_page)
      watch_page->show(m);
    else
      live.show(m);
  };
  options.resume = arguments.resume;
  if (arguments.checkpoint >= 0) options.checkpoint_seconds = arguments.checkpoint;
  if (arguments.resume && talk && !goes_on)
    say("there is no checkpoint in {}: the run starts at its beginning\n\n", options.folder.string());
  options.on_stage = [&](const casefile::Case& stage, const study::Prepared& ready) {
    if (watch_page) watch_page->begin(stage, ready);
    live.begin(ready);
    if (talk) say("{}\n", study::brief_report(stage, ready).text());
  };
  options.observers.interrupt = [] { return interrupt_asked.load(); };
  listen_for_signals();
  times.push_back({"analysis", watch.lap()});
  study::RunResult result = study::run_case(given, prepared, options);
  march_ends();
  if (watch_page) watch_page->end();
  live.end();
  times.push_back({"solving", result.seconds});
  times.push_back({"results and report", watch.lap() - result.seconds});

  Drawn drawn;
  if (result.outcome.ending != Outcome::Ending::interrupted)
    drawn = draw_figures(given, prepared, options.folder);
  times.insert(times.end(), drawn.times.begin(), drawn.times.end());
  study::log_times(options.folder, times);
  study::Report report = result.closing;
  const bool ended =
      result.steady ? result.steady->reached : result.outcome.ending == Outcome::Ending::reached;
  if (arguments.trust && ended)
    report.append(study::trust_report(study::assess(arguments.file, arguments.set, {arguments.threads})));
  report.section("files").row("folder", options.folder.string());
  for (const auto& f : result.files) report.note((options.folder / f).string());
  for (const auto& f : drawn.files) report.note(f.string());
  tell_moved(result.earlier, options.folder, report);
  if (arguments.json)
    say("{}", report.json());
  else if (talk)
    say("{}", report.text());
  for (const auto& c : drawn.complaints) fmt::print(stderr, "a figure was not drawn: {}\n", c);
  if (result.steady && !result.steady->reached) {
    fmt::print(stderr,
               "the steady state was not reached: after {} iterations the residual is {:.2e} of that of a "
               "uniform field\n",
               result.steady->iterations(), result.steady->residuals.back());
    return not_met;
  }
  const auto tell = [&](const char* what) {
    fmt::print(stderr, "the run {} at t = {}: {}\n", what,
               casefile::readable(given.time.shown(result.outcome.time), given.time.unit),
               result.outcome.reason);
  };
  if (result.outcome.ending == Outcome::Ending::blew_up) tell("blew up");
  if (result.outcome.ending == Outcome::Ending::unsolved) tell("ended");
  if (result.outcome.ending == Outcome::Ending::past_limit) tell("stopped");
  return code_of(result.outcome);
}

}  // namespace williwaw::cli
