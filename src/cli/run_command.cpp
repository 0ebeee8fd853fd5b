// `check`, `run` and `recover`.
#include <fmt/format.h>

#include <algorithm>

#include "commands.hpp"
#include "interrupts.hpp"
#include "launch.hpp"
#include "live_line.hpp"
#include "run_figures.hpp"
#include "run_folder.hpp"
#include "run_samples.hpp"
#include "run_together.hpp"
#include "say.hpp"
#include "watch.hpp"
#include "williwaw/study/cost.hpp"
#include "williwaw/study/memory.hpp"
#include "williwaw/study/ranks.hpp"
#include "williwaw/study/trust.hpp"

namespace williwaw::cli {

namespace {

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

// Why the steps of a run are refused: those of it, or of a later stage, may grow what they should not.
std::optional<std::string> unstable_step(const casefile::Case& given, const study::Prepared& prepared,
                                         const std::vector<study::PlannedStage>& later) {
  if (!given.steady && !prepared.stability.stable()) {
    const auto& limit = prepared.stability.limit;
    const bool sharp =
        limit.standing == verify::Limit::Standing::sharp || prepared.longest_step > limit.unstable_from;
    return fmt::format("{}: time.step: {} {} unstable: {}. {}", given.places.of(Subject::step).place,
                       given.duration(prepared.longest_step), sharp ? "is" : "may be",
                       study::forecast(given, prepared), remedy(prepared));
  }
  for (const auto& stage : later)
    if (!stage.prepared.stability.stable())
      return fmt::format("{}: time.step: {} is not stable in {}: {}. {}",
                         stage.given->places.of(Subject::step).place,
                         given.duration(stage.prepared.longest_step), stage.title,
                         study::forecast(*stage.given, stage.prepared), remedy(stage.prepared));
  return std::nullopt;
}

// How a run ended, on standard error where it did not reach its end, and as an exit code.
int tell_ending(const casefile::Case& given, const study::RunResult& result) {
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

// Why the field of a run cannot be drawn while it goes on; nothing where it can.
std::string why_not_watched(const casefile::Case& given, const study::RunOptions& options, bool talk) {
  if (!talk || !shows_pictures()) return "standard output is no terminal for pictures";
  if (given.steady) return "a steady state has no steps to look at";
  if (options.shared()) return "on several ranks no process has the whole field";
  return "";
}

void tell_unwatched(const std::string& why) {
  say("  watch      {}: what happens is told in lines\n\n", why);
}

// The run itself, its progress in the terminal as lines or, where it is wanted and can be, as pictures.
study::RunResult run_in_sight(const casefile::Case& given, study::Prepared& prepared,
                              study::RunOptions& options, bool pictures, bool talk) {
  LiveLine live(given, prepared, !talk, options.shared());
  std::optional<Watch> watch;
  if (pictures) {
    const std::string why = why_not_watched(given, options, talk);
    if (why.empty())
      watch.emplace(given, prepared, live, ask_interrupt, interrupt_asked);
    else if (talk)
      tell_unwatched(why);
  }
  options.observers.on_step = [&](const StepInfo& m) {
    if (watch)
      watch->show(m);
    else
      live.show(m);
  };
  options.on_stage = [&](const casefile::Case& stage, const study::Prepared& ready) {
    if (watch) watch->begin(stage, ready);
    live.begin(ready);
    if (talk) say("{}\n", study::brief_report(stage, ready).text());
  };
  options.observers.interrupt = interrupt_asked;
  study::RunResult result = study::run_case(given, prepared, options);
  march_ends();
  if (watch) watch->end();
  live.end();
  return result;
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
  if (!arguments.force)
    if (const auto why = unstable_step(given, prepared, later)) {
      complain("{}, or run it with --force\n", *why);
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
  if (given.samples > 1 && arguments.watch && talk) tell_unwatched("samples run side by side");
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
  options.resume = arguments.resume;
  if (arguments.checkpoint >= 0) options.checkpoint_seconds = arguments.checkpoint;
  if (arguments.resume && talk && !goes_on)
    say("there is no checkpoint in {}: the run starts at its beginning\n\n", options.folder.string());
  listen_for_signals();
  times.push_back({"analysis", watch.lap()});
  const study::RunResult result = run_in_sight(given, prepared, options, arguments.watch, talk);
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
  tell_not_drawn(drawn);
  return tell_ending(given, result);
}

}  // namespace williwaw::cli
