#include <fmt/format.h>

#include <algorithm>

#include "arguments.hpp"
#include "commands.hpp"
#include "williwaw/casefile/run.hpp"
#include "williwaw/plot/overlay.hpp"

namespace williwaw::cli {

namespace {

// One value of the varied key and how its run went.
struct Trial {
  std::string value;
  std::filesystem::path folder;
  std::string verdict;
  std::string trouble;  ///< why there is no result
  bool finished = false;
  Index effort = 0;  ///< steps, or iterations
  Real residual = 0, lowest = 0, mean = 0, highest = 0, seconds = 0, error = 0;
  bool has_error = false;
};

std::string safe_name(const std::string& text) {
  std::string result;
  for (const char c : text)
    result += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '.' ? c : '_';
  return result;
}

void run_one(const SweepArguments& arguments, const std::string& key, Trial& trial) {
  auto set = arguments.set;
  set.push_back(key + "=" + trial.value);
  const casefile::Case given = casefile::read_case(arguments.file, set);
  casefile::Prepared prepared = casefile::prepare(given, {arguments.threads});
  if (!given.steady && !prepared.stability.stable()) {
    trial.verdict = "unstable";
    trial.trouble = "refused: " + casefile::forecast(given, prepared);
    return;
  }
  casefile::RunOptions options;
  options.folder = trial.folder;
  const auto result = casefile::run_case(given, prepared, options);
  const Totals& totals = result.steady ? result.steady->totals : result.outcome.totals;
  trial.finished = true;
  trial.effort = result.steady ? result.steady->iterations() : result.outcome.steps;
  trial.residual =
      result.steady ? result.steady->residuals.back() : result.outcome.budget.relative_residual();
  trial.verdict = result.steady ? (result.steady->reached ? "reached" : "not reached")
                  : result.outcome.ending == Outcome::Ending::reached ? "stable"
                                                                      : "blew up";
  trial.lowest = given.value.shown(totals.lowest);
  trial.highest = given.value.shown(totals.highest);
  trial.mean = given.value.shown(totals.integral / prepared.balance->volume());
  trial.seconds = result.seconds;
  if (!result.comparisons.empty()) {
    trial.has_error = true;
    trial.error = result.comparisons.back().norms.max;
  }
}

std::string table_of(const std::vector<Trial>& trials, const std::string& key, bool steady,
                     const std::string& unit) {
  std::size_t width = key.size();
  for (const Trial& t : trials) width = std::max(width, t.value.size());
  const bool errors = std::ranges::any_of(trials, &Trial::has_error);
  std::string text =
      fmt::format("{:<{}}  {:<11}  {:>10}  {:>10}  {:>11}  {:>11}  {:>11}  {:>8}{}\n", key, width, "verdict",
                  steady ? "iterations" : "steps", steady ? "residual" : "budget", "minimum" + unit,
                  "mean" + unit, "maximum" + unit, "time [s]", errors ? "   largest error" : "");
  for (const Trial& t : trials) {
    if (!t.finished) {
      text += fmt::format("{:<{}}  {:<11}  {}\n", t.value, width, t.verdict, t.trouble);
      continue;
    }
    text +=
        fmt::format("{:<{}}  {:<11}  {:>10}  {:>10.2e}  {:>11.6g}  {:>11.6g}  {:>11.6g}  {:>8.2g}", t.value,
                    width, t.verdict, t.effort, t.residual, t.lowest, t.mean, t.highest, t.seconds);
    if (t.has_error) text += fmt::format("  {:>14.3e}", t.error);
    text += '\n';
  }
  return text;
}

casefile::Report report_of(const std::vector<Trial>& trials, bool steady) {
  casefile::Report report;
  const auto real = [](Real v) { return casefile::Report::Data(v); };
  for (const Trial& t : trials) {
    report.section(t.value);
    report.row("verdict", t.verdict);
    if (!t.trouble.empty()) report.row("trouble", t.trouble);
    if (!t.finished) continue;
    report.row(steady ? "iterations" : "steps", std::to_string(t.effort), casefile::Report::Data(t.effort));
    report.row(steady ? "residual" : "budget", fmt::format("{:.2e}", t.residual), real(t.residual));
    report.row("minimum", casefile::readable(t.lowest), real(t.lowest));
    report.row("mean", casefile::readable(t.mean), real(t.mean));
    report.row("maximum", casefile::readable(t.highest), real(t.highest));
    report.row("time", casefile::readable(t.seconds), real(t.seconds), "s");
    if (t.has_error) report.row("largest error", fmt::format("{:.3e}", t.error), real(t.error));
    report.row("folder", t.folder.string());
  }
  return report;
}

}  // namespace

int sweep(const SweepArguments& arguments) {
  const auto equals = arguments.vary.find('=');
  if (equals == std::string::npos || equals == 0 || equals + 1 == arguments.vary.size())
    throw InputError("--vary: '" + arguments.vary + "' is not KEY=A,B,C, such as steady.solver=cg,multigrid");
  const std::string key = arguments.vary.substr(0, equals);
  const auto folder = arguments.folder.empty()
                          ? std::filesystem::path(arguments.file.stem().string() + ".sweep")
                          : arguments.folder;
  const casefile::Case base = casefile::read_case(arguments.file, arguments.set);
  std::vector<Trial> trials;
  for (const std::string& value : split_outside(arguments.vary.substr(equals + 1), ',')) {
    Trial& trial = trials.emplace_back();
    trial.value = value;
    trial.folder = folder / safe_name(key + "-" + value);
    try {
      run_one(arguments, key, trial);
    } catch (const casefile::CaseError& e) {
      // A solver that cannot take this problem is a result; a word that is wrong is a mistake.
      const std::string what = e.what();
      if (what.find(": steady.solver: ") == std::string::npos ||
          what.find("unknown value") != std::string::npos)
        throw;
      trial.verdict = "cannot";
      trial.trouble = what.substr(what.rfind(": ") + 2);
    } catch (const SolverError& e) {
      trial.verdict = "cannot";
      trial.trouble = e.what();
    }
  }
  const bool steady = base.steady.has_value();
  if (arguments.json)
    fmt::print("{}", report_of(trials, steady).json());
  else
    fmt::print("{}\n\n{}", base.title, table_of(trials, key, steady, base.value.bracket()));
  std::filesystem::create_directories(folder);
  store::write_file(folder / "table.txt", table_of(trials, key, steady, base.value.bracket()));

  std::vector<std::pair<std::string, std::filesystem::path>> finished;
  for (const Trial& t : trials)
    if (t.finished) finished.emplace_back(t.value, t.folder);
  if (finished.empty()) return not_met;
  std::vector<std::filesystem::path> figures;
  plot::Output out;
  if (steady && key == "steady.solver") {
    // Solvers that iterate have a history; one point would not be one.
    std::erase_if(finished, [](const auto& run) {
      return store::read_series(run.second / "residuals.csv").values[0].size() < 3;
    });
    out.file = folder / "residuals.png";
    if (!finished.empty()) {
      plot::draw_residuals(finished, base.title + ": " + key, out);
      figures.push_back(out.file);
    }
  } else if (base.problem.grid().rank() == 1) {
    out.file = folder / "profiles.png";
    plot::draw_profiles(finished, {}, base.title + ": " + key + (steady ? ", steady state" : ", at the end"),
                        out);
    figures.push_back(out.file);
  }
  if (!arguments.json) {
    fmt::print("\nfiles\n  {}\n", (folder / "table.txt").string());
    for (const auto& f : figures) fmt::print("  {}\n", f.string());
  }
  return std::ranges::all_of(trials, &Trial::finished) ? done : not_met;
}

}  // namespace williwaw::cli
