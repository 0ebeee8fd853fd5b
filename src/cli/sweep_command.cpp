#include <fmt/format.h>

#include <algorithm>

#include "commands.hpp"
#include "launch.hpp"
#include "say.hpp"
#include "trials.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::cli {

namespace {

using Finished = std::vector<std::pair<std::string, std::filesystem::path>>;

// One figure of all: residuals of solvers, profiles of lines, else what the first probe saw.
std::vector<std::filesystem::path> draw(const casefile::Case& base, const std::string& key, Finished finished,
                                        const std::filesystem::path& folder) {
  const bool steady = base.steady.has_value();
  const std::string title = base.title + ": " + key;
  plot::Output out;
  if (steady && key == "steady.solver") {
    // Solvers that iterate have a history; one point would not be one.
    std::erase_if(finished, [](const auto& run) {
      return store::read_run_table(run.second / "residuals.csv", store::residual_headers).values[0].size() <
             3;
    });
    if (finished.empty()) return {};
    out.file = folder / "residuals.png";
    plot::draw_residuals(finished, title, out);
  } else if (base.problem.grid().dimension() == 1) {
    out.file = folder / "profiles.png";
    plot::draw_profiles(finished, {}, title + (steady ? ", steady state" : ", at the end"), out);
  } else if (!steady && !base.probes.empty()) {
    out.file = folder / "series.png";
    // Of several unknowns the first one's.
    const store::RunSeries series(finished.front().second / "series.csv");
    const std::string& probe = series.column(series.all(store::SeriesRole::probe).at(0)).name;
    plot::draw_series(finished, probe, title + ", at " + probe, out);
  } else {
    return {};
  }
  return {out.file};
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
  std::vector<Trial> trials = trials_of(variants, varied, folder);
  const int processors = threads_of_rank(0);
  const int jobs = arguments.jobs > 0 ? arguments.jobs : processors;
  const int threads = arguments.threads > 0 ? arguments.threads : std::max(1, processors / jobs);
  run_trials(arguments.file, arguments.set, {.jobs = jobs, .threads = threads, .ranks = started_together()},
             trials);
  if (!speaks()) return done;

  const std::string head = !variants.empty() ? "variant" : varied.size() == 1 ? varied[0].key : "run";
  const std::string table = table_of(trials, head, base);
  if (arguments.json)
    say("{}", report_of(trials, base).json());
  else
    say("{}\n\n{}", base.title, table);
  std::filesystem::create_directories(folder);
  store::write_file(folder / "table.txt", table);

  Finished finished;
  for (const Trial& t : trials)
    if (t.finished) finished.emplace_back(t.label, t.folder);
  if (finished.empty()) return not_met;
  std::string what;
  for (const auto& v : varied) what += (what.empty() ? "" : ", ") + v.key;
  if (!variants.empty()) what = "variants";
  const auto figures = draw(base, what, finished, folder);
  if (!arguments.json) {
    say("\nfiles\n  {}\n", (folder / "table.txt").string());
    for (const auto& f : figures) say("  {}\n", f.string());
  }
  return std::ranges::all_of(trials, &Trial::finished) ? done : not_met;
}

}  // namespace williwaw::cli
