#include <fmt/format.h>

#include <algorithm>

#include "commands.hpp"
#include "launch.hpp"
#include "say.hpp"
#include "trial_tables.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::cli {

namespace {

// Figures of all: residuals of solvers, profiles of lines or maps, and what the first probe saw.
std::vector<std::filesystem::path> draw(const casefile::Case& base, const std::string& key,
                                        const std::vector<Trial>& trials,
                                        const std::filesystem::path& folder) {
  const bool steady = base.steady.has_value();
  const std::string title = base.title + ": " + key;
  plot::NamedRuns runs;
  std::vector<std::string> not_drawn;
  for (const Trial& t : trials) {
    // Values without bounds leave no scale for the others.
    const bool without_bounds = t.verdict == "blew up" || t.verdict == "past its limit";
    // On several ranks each leaves its results where it was started.
    const bool here = std::filesystem::exists(t.folder / "fields.nc");
    if (t.finished && !without_bounds && here)
      runs.emplace_back(t.label, t.folder);
    else
      not_drawn.push_back(t.label + ": " +
                          (t.finished && !here ? "its results lie with another rank" : t.verdict));
  }
  std::vector<std::filesystem::path> files;
  const auto next = [&](const char* name) {
    plot::Output out;
    out.file = folder / name;
    files.push_back(out.file);
    return out;
  };
  if (steady && key == "steady.solver") {
    // Solvers that iterate have a history; one point would not be one.
    std::erase_if(runs, [](const auto& run) {
      return store::read_run_table(run.second / "residuals.csv", store::residual_headers).values[0].size() <
             3;
    });
    if (!runs.empty()) plot::draw_residuals(runs, title, next("residuals.png"));
    return files;
  }
  if (runs.empty()) return {};
  const std::string at_end = title + (steady ? ", steady state" : ", at the end");
  if (base.problem.grid().dimension() == 1)
    plot::draw_profiles(runs, {}, at_end, next("profiles.png"), not_drawn);
  else
    plot::draw_maps(runs, at_end, next("maps.png"), not_drawn);
  if (!steady && !base.probes.empty()) {
    // Of several unknowns the first one's.
    const store::RunSeries series(runs.front().second / "series.csv");
    const std::string& probe = series.column(series.all(store::SeriesRole::probe).at(0)).name;
    plot::draw_series(runs, probe, title + ", at " + probe, next("series.png"), not_drawn);
  }
  return files;
}

}  // namespace

int sweep(const SweepArguments& arguments) {
  const casefile::Case base = open_case(arguments.file, arguments.set);
  std::vector<Varied> varied;
  for (const auto& option : arguments.vary) varied.push_back(varied_from(option));
  std::vector<std::string> variants;
  if (varied.empty() || arguments.variants) variants = base.variants;
  if (varied.empty() && variants.empty())
    throw InputError(arguments.file.string() +
                     ": no variants: give --vary KEY=A,B,C, or write [[variant]]s into the case");
  // The case as it is stands beside its variants.
  if (!variants.empty()) variants.insert(variants.begin(), "");
  const auto folder = arguments.folder.empty()
                          ? std::filesystem::path(arguments.file.stem().string() + ".sweep")
                          : arguments.folder;
  std::vector<Trial> trials = trials_of(variants, varied, folder, base.as_written);
  const int processors = threads_of_rank(0);
  const int jobs = arguments.jobs > 0 ? arguments.jobs : processors;
  const int threads = arguments.threads > 0 ? arguments.threads : std::max(1, processors / jobs);
  run_trials(arguments.file, arguments.set,
             {.jobs = jobs, .threads = threads, .force = arguments.force, .ranks = started_together()},
             trials);
  if (!speaks()) return done;

  const std::string head = !variants.empty() ? "variant" : varied.size() == 1 ? varied[0].key : "run";
  const bool steady = base.steady.has_value();
  const std::string table = table_of(trials, head, steady);
  if (arguments.json)
    say("{}", report_of(trials, steady).json());
  else
    say("{}\n\n{}", base.title, table);
  std::filesystem::create_directories(folder);
  std::vector<std::filesystem::path> files{folder / "table.txt", folder / "table.csv"};
  store::write_file(files[0], table);
  store::write_file(files[1], csv_of(trials, head, steady));
  if (std::ranges::none_of(trials, &Trial::finished)) return not_met;
  std::string what;
  for (const auto& v : varied) what += (what.empty() ? "" : ", ") + v.key;
  if (!variants.empty()) what = "variants";
  std::ranges::copy(draw(base, what, trials, folder), std::back_inserter(files));
  if (!arguments.json) {
    say("\nfiles\n");
    for (const auto& f : files) say("  {}\n", f.string());
  }
  return std::ranges::all_of(trials, &Trial::finished) ? done : not_met;
}

}  // namespace williwaw::cli
