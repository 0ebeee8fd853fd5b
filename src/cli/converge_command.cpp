#include <fmt/format.h>

#include "commands.hpp"
#include "say.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/study/converge.hpp"

namespace williwaw::cli {

int converge(const ConvergeArguments& arguments) {
  const casefile::Case given = open_case(arguments.file, arguments.set);
  if (!arguments.json) say("{}\n", given.title);
  const auto tell = [&](Index level, const casefile::Case& finer) {
    if (arguments.json) return;
    say("  level {} of {}: {} unknowns\n", level + 1, given.refinement_study.levels, finer.grid().count());
    flush_said();
  };
  const auto result = study::converge(arguments.file, arguments.set, {arguments.threads}, tell);
  const std::filesystem::path folder =
      arguments.folder.empty() ? std::filesystem::path(arguments.file.stem().string() + ".converge")
                               : arguments.folder;
  std::filesystem::create_directories(folder);
  const std::string table = study::convergence_table(result);
  store::write_file(folder / "table.txt", table);
  store::write_file(folder / "convergence.csv", study::convergence_csv(result));
  plot::Output out;
  out.file = folder / "convergence.png";
  plot::draw_convergence(result, given.title + ": refining " + result.refined, out);
  if (arguments.json) {
    say("{}", study::convergence_report(given, result).json());
    return done;
  }
  say("\nrefined: {}; expected order: {}\n\n{}\n", result.refined, casefile::readable(result.theory), table);
  for (const auto& q : result.quantities) say("{}: {}\n", q.name, verify::trend_text(q.study.trend));
  for (const auto& w : result.warnings) say("warning: {}\n", w);
  say("\nfiles\n");
  for (const char* f : {"table.txt", "convergence.csv", "convergence.png"})
    say("  {}\n", (folder / f).string());
  return done;
}

}  // namespace williwaw::cli
