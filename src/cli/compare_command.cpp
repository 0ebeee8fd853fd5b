#include <fmt/format.h>

#include "arguments.hpp"
#include "commands.hpp"
#include "say.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/store/written.hpp"
#include "williwaw/study/compare.hpp"

namespace williwaw::cli {

namespace {

constexpr Index rows_unless_given = 12;

// Where the figure is drawn.
plot::Output figure_of(const CompareArguments& arguments) {
  plot::Output out;
  out.file = arguments.output.empty() ? arguments.run / "figures" / "compare.png" : arguments.output;
  if (out.file.has_parent_path()) std::filesystem::create_directories(out.file.parent_path());
  return out;
}

// Values of all runs and tables at the unknowns of the first.
int compare_nodes(const CompareArguments& arguments) {
  std::vector<Index> records;
  if (!arguments.times.empty())
    records = records_at(arguments.times, store::FieldReader(arguments.run / "fields.nc"));
  const study::NodeTable table = study::node_table(arguments.run, arguments.others, records);
  if (arguments.output.empty()) {
    say("{}", study::node_text(table, arguments.digits, arguments.rows));
    return done;
  }
  store::SeriesWriter file(arguments.output, table.columns);
  for (const auto& row : table.rows) file.append(row);
  file.finish();
  say("{}\n", arguments.output.string());
  return done;
}

// The run against each of them, and all of them in one figure at the end.
int compare_several(const CompareArguments& arguments) {
  study::Report report;
  plot::NamedRuns runs{{arguments.run.string(), arguments.run}};
  for (const std::string& other : arguments.others) {
    report.append(study::comparing_report(study::compare(arguments.run, other)));
    if (std::filesystem::is_directory(other)) runs.emplace_back(other, other);
  }
  const plot::Output out = figure_of(arguments);
  const store::FieldReader fields(arguments.run / "fields.nc");
  const std::string title =
      fields.description().title + (fields.description().steady ? ", steady state" : ", at the end");
  if (fields.grid().dimension() == 1)
    plot::draw_profiles(runs, {}, title, out);
  else
    plot::draw_maps(runs, title, out);
  store::note_written(arguments.run, store::WrittenFor::hand, {{out.file}});
  if (arguments.json)
    say("{}", report.json());
  else
    say("{}\nfiles\n  {}\n", report.text(), out.file.string());
  return done;
}

}  // namespace

int compare(const CompareArguments& arguments) {
  const bool formula = !arguments.formula.empty();
  if (formula == !arguments.others.empty())
    throw InputError(
        "compare: give one of OTHER (a result folder, a table, or the word exact) and --formula");
  if (!arguments.table.empty()) {
    if (formula) throw InputError("--table nodes: of runs; a formula is compared without it");
    return compare_nodes(arguments);
  }
  if (!arguments.times.empty()) throw InputError("--times: of a table of nodes; add --table nodes");
  if (arguments.others.size() > 1) return compare_several(arguments);
  const auto result =
      study::compare(arguments.run, formula ? arguments.formula : arguments.others.front(), formula);
  const auto report = study::comparing_report(result);
  const plot::Output out = figure_of(arguments);
  const bool drawn = plot::draw_comparison(result, out);
  if (drawn) store::note_written(arguments.run, store::WrittenFor::hand, {{out.file}});
  if (arguments.json) {
    say("{}", report.json());
    return done;
  }
  const Index rows = arguments.rows > 0 ? arguments.rows : rows_unless_given;
  say("{}\n{}", report.text(), study::comparing_table(result, arguments.digits, rows));
  if (drawn) say("\nfiles\n  {}\n", out.file.string());
  return done;
}

}  // namespace williwaw::cli
