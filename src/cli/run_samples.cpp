#include "run_samples.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "interrupts.hpp"
#include "launch.hpp"
#include "run_figures.hpp"
#include "say.hpp"
#include "trial_tables.hpp"
#include "williwaw/study/samples.hpp"
#include "williwaw/study/trust.hpp"

namespace williwaw::cli {

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
       .interrupt = interrupt_asked},
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
  tell_not_drawn(drawn);
  return done;
}

}  // namespace williwaw::cli
