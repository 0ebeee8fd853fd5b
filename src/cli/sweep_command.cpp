#include <fmt/format.h>

#include <algorithm>
#include <thread>

#include "commands.hpp"
#include "say.hpp"
#include "trials.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::cli {

namespace {

using Finished = std::vector<std::pair<std::string, std::filesystem::path>>;

// Characters, not bytes: titles have accents and units have dots.
std::size_t width_of(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

std::string padded(const std::string& text, std::size_t width) {
  return text + std::string(width - std::min(width, width_of(text)), ' ');
}

std::string table_of(const std::vector<Trial>& trials, const std::string& head, bool steady,
                     const std::string& unit) {
  std::size_t width = width_of(head);
  for (const Trial& t : trials) width = std::max(width, width_of(t.label));
  const bool errors = std::ranges::any_of(trials, [](const Trial& t) { return t.error.has_value(); });
  std::string text = fmt::format("{}  {:<11}  {:>10}  {:>10}  {:>11}  {:>11}  {:>11}  {:>8}{}\n",
                                 padded(head, width), "verdict", steady ? "iterations" : "steps",
                                 steady ? "residual" : "budget", "minimum" + unit, "mean" + unit,
                                 "maximum" + unit, "time [s]", errors ? "  error maximum" : "");
  for (const Trial& t : trials) {
    if (!t.finished) {
      text += fmt::format("{}  {:<11}  {}\n", padded(t.label, width), t.verdict, t.trouble);
      continue;
    }
    text += fmt::format("{}  {:<11}  {:>10}  {:>10.2e}  {:>11.6g}  {:>11.6g}  {:>11.6g}  {:>8.2g}",
                        padded(t.label, width), t.verdict, t.effort, t.residual, t.lowest, t.mean, t.highest,
                        t.seconds);
    if (t.error) text += fmt::format("  {:>14.3e}", *t.error);
    text += '\n';
  }
  return text;
}

study::Report report_of(const std::vector<Trial>& trials, bool steady) {
  study::Report report;
  const auto real = [](Real v) { return study::Report::Data(v); };
  for (const Trial& t : trials) {
    report.section(t.label);
    report.row("verdict", t.verdict);
    if (!t.trouble.empty()) report.row("trouble", t.trouble);
    if (!t.finished) continue;
    report.row(steady ? "iterations" : "steps", std::to_string(t.effort), study::Report::Data(t.effort));
    report.row(steady ? "residual" : "budget", fmt::format("{:.2e}", t.residual), real(t.residual));
    report.row("minimum", casefile::readable(t.lowest), real(t.lowest));
    report.row("mean", casefile::readable(t.mean), real(t.mean));
    report.row("maximum", casefile::readable(t.highest), real(t.highest));
    report.row("time", casefile::readable(t.seconds), real(t.seconds), "s");
    if (t.error) report.row("error maximum", fmt::format("{:.3e}", *t.error), real(*t.error));
    report.row("folder", t.folder.string());
  }
  return report;
}

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
    plot::draw_series(finished, base.probes.front().name, title + ", at " + base.probes.front().name, out);
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
  const int machine = static_cast<int>(std::max(1u, std::thread::hardware_concurrency()));
  const int jobs = arguments.jobs > 0 ? arguments.jobs : machine;
  run_trials(arguments.file, arguments.set, jobs,
             arguments.threads > 0 ? arguments.threads : std::max(1, machine / jobs), trials);

  const bool steady = base.steady.has_value();
  const std::string head = !variants.empty() ? "variant" : varied.size() == 1 ? varied[0].key : "run";
  const std::string table = table_of(trials, head, steady, base.value.bracket());
  if (arguments.json)
    say("{}", report_of(trials, steady).json());
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
