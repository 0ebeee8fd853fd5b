#include <fmt/format.h>

#include "commands.hpp"
#include "say.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/store/written.hpp"
#include "williwaw/study/compare.hpp"

namespace williwaw::cli {

int compare(const CompareArguments& arguments) {
  const bool formula = !arguments.formula.empty();
  if (formula == !arguments.other.empty())
    throw InputError(
        "compare: give one of OTHER (a result folder, a table, or the word exact) and --formula");
  const auto result = study::compare(arguments.run, formula ? arguments.formula : arguments.other, formula);
  const auto report = study::comparing_report(result);
  plot::Output out;
  out.file = arguments.output.empty() ? arguments.run / "figures" / "compare.png" : arguments.output;
  if (out.file.has_parent_path()) std::filesystem::create_directories(out.file.parent_path());
  const bool drawn = plot::draw_comparison(result, out);
  if (drawn) store::note_written(arguments.run, store::WrittenFor::hand, {{out.file}});
  if (arguments.json) {
    say("{}", report.json());
    return done;
  }
  say("{}\n{}", report.text(), study::comparing_table(result, arguments.digits, arguments.rows));
  if (drawn) say("\nfiles\n  {}\n", out.file.string());
  return done;
}

}  // namespace williwaw::cli
