// The williwaw program: reads arguments, hands them on, turns errors into messages and exit codes.
#include <malloc.h>

#include <CLI/CLI.hpp>
#include <csignal>
#include <iostream>

#include "commands.hpp"
#include "launch.hpp"
#include "say.hpp"
#include "williwaw/plot/figure.hpp"
#include "williwaw/ranks/mpi.hpp"
#include "williwaw/study/check.hpp"

namespace {

using namespace williwaw;

void add_case(CLI::App& command, std::filesystem::path& file, std::vector<std::string>& set) {
  command.add_option("CASE", file, "case file")->required();
  command.add_option("--set", set, "replace a value: --set time.step=\"30 s\"")->allow_extra_args(false);
}

void add_memory(CLI::App& command, double& bytes) {
  command
      .add_option_function<std::uint64_t>(
          "--memory", [&bytes](const std::uint64_t& given) { bytes = static_cast<double>(given); },
          "peak memory above which a run is refused: 500MB, 4GB; default: available memory")
      ->transform(CLI::AsSizeValue(true))
      ->check(CLI::PositiveNumber);
}

void add_ranks(CLI::App& command, std::string& boxes) {
  command.add_option("--ranks", boxes,
                     "how several ranks share the grid: boxes along each axis, such as 1x2x2; default: least "
                     "work for each, then least surface");
}

void add_drawing(CLI::App& command, cli::PlotArguments& a) {
  command.add_option("RUN", a.run, "result folder of a run; a case file for stability")->required();
  command.add_option("--range", a.range, "fixed range of values: LOWEST,HIGHEST");
  command.add_option("--size", a.size, "WIDTHxHEIGHT in pixels")->capture_default_str();
  command.add_option("--at", a.at, "a plane of a 3-D field: z=0.1");
  command.add_option("--along", a.along, "a line: X,Y:X,Y");
  command.add_option("--times", a.times, "times, separated by commas: \"1 h,6 h\"");
  command.add_option("-o,--output", a.output, "file to draw to");
}

int program(int argc, char** argv) {
  CLI::App app{"Williwaw: heat, diffusion, waves and transport on structured grids"};
  app.require_subcommand(1);
  app.set_version_flag("--version", std::string("williwaw ") + study::version);
  std::function<int()> chosen;

  std::string kind;
  std::filesystem::path new_file;
  auto* create = app.add_subcommand("new", "write a commented starter case");
  create->add_option("KIND", kind, "kind of equation: " + casefile::starter_names())->required();
  create->add_option("FILE", new_file, "file to write, KIND.toml unless given");
  create->callback([&] { chosen = [&] { return cli::write_new(kind, new_file); }; });

  cli::CheckArguments to_check;
  auto* check =
      app.add_subcommand("check", "equation, grid, boundaries, schemes, stability and cost, without solving");
  add_case(*check, to_check.file, to_check.set);
  check->add_option("--at", to_check.at, "print the discrete equation at a place: 0.12 or 0.12,0.3");
  add_memory(*check, to_check.memory);
  add_ranks(*check, to_check.ranks);
  check->add_flag("--json", to_check.json, "print one JSON object instead of text");
  check->callback([&] { chosen = [&] { return cli::check(to_check); }; });

  cli::RunArguments to_run;
  auto* run = app.add_subcommand("run", "solve, record and draw the case's figures");
  add_case(*run, to_run.file, to_run.set);
  run->add_option("-o,--output", to_run.folder, "result folder; default: CASE.out");
  run->add_option("--threads", to_run.threads, "number of threads; default: all")->check(CLI::Range(1, 1024));
  add_memory(*run, to_run.memory);
  add_ranks(*run, to_run.ranks);
  run->add_flag("--quiet", to_run.quiet, "print errors only");
  run->add_flag("--force", to_run.force,
                "run in spite of an unstable step, a cost above one day, or too little disk");
  run->add_flag("--resume", to_run.resume, "continue an interrupted run from its checkpoint");
  run->add_option("--checkpoint", to_run.checkpoint, "seconds between checkpoints; default: 10")
      ->check(CLI::NonNegativeNumber);
  run->add_flag("--trust", to_run.trust,
                "also run coarser and with half the step: results with uncertainties");
  run->add_flag("--json", to_run.json, "print one JSON object instead of text");
  run->callback([&] { chosen = [&] { return cli::run(to_run); }; });

  std::filesystem::path to_recover;
  auto* recover =
      app.add_subcommand("recover", "complete the files of a run that was killed or met a full disk");
  recover->add_option("RUN", to_recover, "result folder of a run")->required();
  recover->callback([&] { chosen = [&] { return cli::recover(to_recover); }; });

  cli::PlotArguments to_plot;
  auto* plot = app.add_subcommand("plot", "draw one more figure of a run");
  add_drawing(*plot, to_plot);
  plot->add_option("KIND", to_plot.kind,
                   plot::figure_names(false) + "; of a case file: " + plot::figure_names(true));
  plot->add_option("--set", to_plot.set, "of a case: replace a value")->allow_extra_args(false);
  plot->add_option("--levels", to_plot.levels, "number of bands of contours")->check(CLI::Range(2, 200));
  plot->add_option("--of", to_plot.of, "quantity: a probe or column of the series, a boundary");
  plot->add_option("--format", to_plot.format, "png, svg or pdf")
      ->check(CLI::IsMember({"png", "svg", "pdf"}));
  plot->callback([&] { chosen = [&] { return cli::plot(to_plot); }; });

  cli::PlotArguments to_film;
  auto* film = app.add_subcommand("film", "draw a film with fixed axes and range (gif)");
  add_drawing(*film, to_film);
  film->add_option("--seconds", to_film.seconds, "length of the film")
      ->check(CLI::Range(0.5, 600.0))
      ->capture_default_str();
  film->callback([&] { chosen = [&] { return cli::film(to_film); }; });

  cli::ExportArguments to_export;
  auto* hand_out = app.add_subcommand("export", "write fields for other programs");
  hand_out->add_option("RUN", to_export.run, "result folder of a run")->required();
  hand_out->add_option("--to", to_export.to, "csv, vtk or npy")
      ->required()
      ->check(CLI::IsMember({"csv", "vtk", "npy"}));
  hand_out
      ->add_option("--layout", to_export.layout,
                   "of csv: long (a row for each time and place) or wide (a column for each time)")
      ->check(CLI::IsMember({"long", "wide"}))
      ->capture_default_str();
  hand_out->add_option("--times", to_export.times, "recorded times, separated by commas; all unless given");
  hand_out->add_option("-o,--output", to_export.folder, "folder to write to, RUN/export unless given");
  hand_out->callback([&] { chosen = [&] { return cli::export_run(to_export); }; });

  cli::ViewArguments to_view;
  auto* view =
      app.add_subcommand("view", "write one self-contained page with a player, to be opened in a browser");
  view->add_option("RUN", to_view.runs, "result folders of runs; several are shown side by side")->required();
  view->add_option("-o,--output", to_view.output, "page to write, RUN/view.html unless given");
  view->callback([&] { chosen = [&] { return cli::view(to_view); }; });

  cli::SweepArguments to_sweep;
  auto* sweep = app.add_subcommand(
      "sweep", "run a case's variants, or values of its keys: one table, one overlaid figure");
  add_case(*sweep, to_sweep.file, to_sweep.set);
  sweep
      ->add_option("--vary", to_sweep.vary,
                   "KEY=A,B,C or KEY=FROM..TO by STEP; more than once for every combination")
      ->allow_extra_args(false);
  sweep->add_flag("--variants", to_sweep.variants, "the case's variants in addition to --vary");
  sweep->add_option("--jobs", to_sweep.jobs, "runs at a time, as many as the machine has cores unless given")
      ->check(CLI::Range(1, 256));
  sweep->add_option("-o,--output", to_sweep.folder, "result folder, CASE.sweep unless given");
  sweep->add_option("--threads", to_sweep.threads, "number of threads")->check(CLI::Range(1, 1024));
  sweep->add_flag("--json", to_sweep.json, "print one JSON object instead of text");
  sweep->callback([&] { chosen = [&] { return cli::sweep(to_sweep); }; });

  std::string name;
  auto* demo = app.add_subcommand("demo", "run a bundled case and list its figures");
  demo->add_option("NAME", name, cli::demo_names());
  demo->callback([&] { chosen = [&] { return cli::demo(name, argv[0]); }; });

  cli::ConvergeArguments to_converge;
  auto* converge =
      app.add_subcommand("converge", "refine grid and step: errors, observed orders, extrapolated values");
  add_case(*converge, to_converge.file, to_converge.set);
  converge->add_option("-o,--output", to_converge.folder, "result folder, CASE.converge unless given");
  converge->add_option("--threads", to_converge.threads, "number of threads")->check(CLI::Range(1, 1024));
  converge->add_flag("--json", to_converge.json, "print one JSON object instead of text");
  converge->callback([&] { chosen = [&] { return cli::converge(to_converge); }; });

  cli::CompareArguments to_compare;
  auto* compare =
      app.add_subcommand("compare", "a run against another one, a table, a formula or its exact solution");
  compare->add_option("RUN", to_compare.run, "result folder of a run")->required();
  compare->add_option("OTHER", to_compare.other, "a result folder, a CSV table, or the word exact");
  compare->add_option("--formula", to_compare.formula, "a formula in SI of the coordinates and t");
  compare->add_option("--digits", to_compare.digits, "digits behind the point in the table")
      ->check(CLI::Range(0, 15))
      ->capture_default_str();
  compare->add_option("--rows", to_compare.rows, "rows of the table at most")
      ->check(CLI::Range(1, 100000))
      ->capture_default_str();
  compare->add_option("-o,--output", to_compare.output,
                      "figure to draw, RUN/figures/compare.png unless given");
  compare->add_flag("--json", to_compare.json, "print one JSON object instead of text");
  compare->callback([&] { chosen = [&] { return cli::compare(to_compare); }; });

  auto* kinds =
      app.add_subcommand("kinds", "boundary conditions, schemes, solvers, figures and columns by name");
  kinds->callback([&] { chosen = [] { return cli::kinds(); }; });

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    if (!cli::speaks()) return cli::done;
    return app.exit(e) == 0 ? cli::done : cli::bad_input;
  }
  // What is not done together the first process does alone.
  if (!cli::speaks() && !app.got_subcommand(run) && !app.got_subcommand(check) && !app.got_subcommand(sweep))
    return cli::done;
  const int code = cli::all_said(chosen());
  return cli::speaks() ? code : cli::done;
}

}  // namespace

int main(int argc, char** argv) {
  const auto complain = [](const std::string& what, int code) {
    cli::flush_said();
    // What all processes meet alike one of them tells.
    if (cli::speaks() || cli::others_wait()) std::cerr << what << std::endl;
    if (cli::others_wait()) ranks::end_all(code);
    // A launcher ends all of them as soon as one fails, before the first one has said why.
    return cli::speaks() ? code : cli::done;
  };
  // Fields that are freed go back to the system at once, so that a run takes what `check` says.
  mallopt(M_MMAP_THRESHOLD, 1 << 18);
  // A reader that goes away, or a limit on the size of files, is an error of a write like any other.
  std::signal(SIGPIPE, SIG_IGN);
  std::signal(SIGXFSZ, SIG_IGN);
  try {
    return program(argc, argv);
  } catch (const InputError& e) {
    return complain(e.what(), cli::bad_input);
  } catch (const SolverError& e) {
    return complain(e.what(), cli::not_met);
  } catch (const store::StoreError& e) {
    return complain(e.what(), cli::bad_input);
  } catch (const plot::PlotError& e) {
    return complain(e.what(), cli::bad_input);
  } catch (const std::filesystem::filesystem_error& e) {
    return complain(e.path1().string() + ": cannot be read or written: " + e.code().message(),
                    cli::bad_input);
  } catch (const std::bad_alloc&) {
    return complain("there is not enough memory for this problem", cli::bad_input);
  } catch (const std::exception& e) {
    return complain(std::string("internal error: ") + e.what(), cli::internal);
  }
}
