#include "command_line.hpp"

#include "commands.hpp"
#include "say.hpp"
#include "williwaw/plot/figure.hpp"
#include "williwaw/version.hpp"

namespace williwaw::cli {

namespace {

// What options are read into; it stays until the chosen command has run.
template <class Arguments, class Define>
void add(CommandLine& line, const std::string& name, const std::string& what, const std::string& examples,
         Arguments arguments, int (*act)(const Arguments&), const Define& define) {
  const auto given = std::make_shared<Arguments>(std::move(arguments));
  CLI::App* command = line.app->add_subcommand(name, what);
  command->footer("Examples\n" + examples);
  define(*command, *given);
  command->callback([&line, given, act] { line.chosen = [given, act] { return act(*given); }; });
}

constexpr const char* results_group = "Results";
constexpr const char* limits_group = "Limits";
constexpr const char* selection_group = "Selection";

void add_case(CLI::App& command, std::filesystem::path& file, std::vector<std::string>& set) {
  command.add_option("CASE", file, "case file")->required();
  command.add_option("--set", set, "replace a value: --set time.step=\"30 s\"")->allow_extra_args(false);
}

void add_results_of(CLI::App& command, std::filesystem::path& run) {
  command.add_option("RUN", run, "result folder of a run")->required();
}

void add_json(CLI::App& command, bool& json) {
  command.add_flag("--json", json, "print one JSON object instead of text");
}

void add_threads(CLI::App& command, int& threads) {
  command.add_option("--threads", threads, "number of threads; default: all")
      ->check(CLI::Range(1, 1024))
      ->group(limits_group);
}

void add_memory(CLI::App& command, double& bytes) {
  command
      .add_option_function<std::uint64_t>(
          "--memory", [&bytes](const std::uint64_t& given) { bytes = static_cast<double>(given); },
          "peak memory above which a run is refused: 500MB, 4GB; default: available memory")
      ->transform(CLI::AsSizeValue(true))
      ->check(CLI::PositiveNumber)
      ->group(limits_group);
}

void add_ranks(CLI::App& command, std::string& boxes) {
  command
      .add_option("--ranks", boxes,
                  "how several ranks share the grid: boxes along each axis, such as 1x2x2; default: least "
                  "work for each, then least surface")
      ->group(limits_group);
}

void add_drawing(CLI::App& command, PlotArguments& a) {
  command.add_option("RUN", a.run, "result folder of a run; a case file for stability")->required();
  command.add_option("--at", a.at, "a plane of a 3-D field: z=0.1")->group(selection_group);
  command.add_option("--along", a.along, "a line: X,Y:X,Y")->group(selection_group);
  command.add_option("--times", a.times, "times, separated by commas: \"1 h,6 h\"")->group(selection_group);
  command.add_option("--range", a.range, "fixed range of values: LOWEST,HIGHEST");
  command.add_option("--size", a.size, "WIDTHxHEIGHT in pixels")->capture_default_str();
  command.add_option("-o,--output", a.output, "file to draw to")->group(results_group);
}

struct NewArguments {
  std::string kind;
  std::filesystem::path file;
};

struct DemoArguments {
  std::string name;
  std::filesystem::path folder;
};

void add_stating(CommandLine& line) {
  add<NewArguments>(
      line, "new", "write a commented starter case", "  williwaw new heat\n  williwaw new wave sound.toml",
      {}, [](const NewArguments& a) { return write_new(a.kind, a.file); },
      [](CLI::App& command, NewArguments& a) {
        command.add_option("KIND", a.kind, "kind of equation: " + casefile::starter_names())->required();
        command.add_option("FILE", a.file, "file to write, KIND.toml unless given");
      });
  add<CheckArguments>(
      line, "check", "equation, grid, boundaries, schemes, stability and cost, without solving",
      "  williwaw check case.toml\n  williwaw check case.toml --at \"12 cm\"", {}, check,
      [](CLI::App& command, CheckArguments& a) {
        add_case(command, a.file, a.set);
        command.add_option("--at", a.at, "print the discrete equation at a place: 0.12 or 0.12,0.3");
        add_memory(command, a.memory);
        add_ranks(command, a.ranks);
        add_json(command, a.json);
      });
}

void add_running(CommandLine& line) {
  add<RunArguments>(
      line, "run", "solve, record and draw the case's figures",
      "  williwaw run case.toml --set time.step=\"30 s\" -o fine.out\n  williwaw run case.toml --resume", {},
      run, [](CLI::App& command, RunArguments& a) {
        add_case(command, a.file, a.set);
        command.add_option("-o,--output", a.folder, "result folder; default: CASE.out")->group(results_group);
        auto* resume =
            command.add_flag("--resume", a.resume, "continue an interrupted run from its checkpoint")
                ->group(results_group);
        command.add_flag("--keep", a.keep, "leave earlier results: a numbered folder of its own, CASE-2.out")
            ->group(results_group)
            ->excludes(resume);
        command.add_flag("--watch", a.watch, "draw the field in the terminal while the run goes on")
            ->group(results_group);
        command.add_option("--checkpoint", a.checkpoint, "seconds between checkpoints; default: 10")
            ->check(CLI::NonNegativeNumber)
            ->group(results_group);
        command
            .add_flag("--trust", a.trust,
                      "also run coarser and with half the step: results with uncertainties")
            ->group(results_group);
        add_threads(command, a.threads);
        add_memory(command, a.memory);
        add_ranks(command, a.ranks);
        command
            .add_flag("--force", a.force,
                      "run in spite of an unstable step, a cost above one day, or too little disk")
            ->group(limits_group);
        command.add_flag("--quiet", a.quiet, "print errors only");
        add_json(command, a.json);
      });
  add<std::filesystem::path>(
      line, "recover", "complete the files of a run that was killed or met a full disk",
      "  williwaw recover case.out", {}, recover,
      [](CLI::App& command, std::filesystem::path& folder) { add_results_of(command, folder); });
  add<SweepArguments>(
      line, "sweep",
      "run a case's variants, or values of its keys: tables of what they end with, figures of all",
      "  williwaw sweep case.toml\n  williwaw sweep case.toml --vary time.scheme=bdf2,crank-nicolson --vary "
      "\"time.step=30 s,60 s\"",
      {}, sweep, [](CLI::App& command, SweepArguments& a) {
        add_case(command, a.file, a.set);
        command
            .add_option("--vary", a.vary,
                        "KEY=A,B,C or KEY=FROM..TO by STEP; more than once for every combination")
            ->allow_extra_args(false);
        command.add_flag("--variants", a.variants, "the case's variants in addition to --vary");
        command.add_option("-o,--output", a.folder, "result folder, CASE.sweep unless given")
            ->group(results_group);
        command.add_flag("--force", a.force, "run in spite of unstable steps")->group(limits_group);
        command.add_option("--jobs", a.jobs, "runs at a time, as many as the machine has cores unless given")
            ->check(CLI::Range(1, 256))
            ->group(limits_group);
        add_threads(command, a.threads);
        add_json(command, a.json);
      });
  add<ConvergeArguments>(
      line, "converge", "refine grid and step: errors, observed orders, extrapolated values",
      "  williwaw converge case.toml --set converge.levels=3\n  williwaw converge case.toml --set "
      "converge.vary=step",
      {}, converge, [](CLI::App& command, ConvergeArguments& a) {
        add_case(command, a.file, a.set);
        command.add_option("-o,--output", a.folder, "result folder, CASE.converge unless given")
            ->group(results_group);
        add_threads(command, a.threads);
        add_json(command, a.json);
      });
  add<DemoArguments>(
      line, "demo", "run a bundled case and list its figures",
      "  williwaw demo\n  williwaw demo squall -o /tmp/squall", {},
      [](const DemoArguments& a) { return demo(a.name, a.folder); },
      [](CLI::App& command, DemoArguments& a) {
        command.add_option("NAME", a.name, demo_names());
        command.add_option("-o,--output", a.folder, "result folder, NAME.out unless given")
            ->group(results_group);
      });
}

void add_looking(CommandLine& line) {
  add<PlotArguments>(
      line, "plot", "draw one more figure of a run",
      "  williwaw plot case.out profiles --times \"0 h,6 h\"\n  williwaw plot case.toml stability", {}, plot,
      [](CLI::App& command, PlotArguments& a) {
        add_drawing(command, a);
        command.add_option("KIND", a.kind,
                           plot::figure_names(false) + "; of a case file: " + plot::figure_names(true));
        command.add_option("--set", a.set, "of a case: replace a value")->allow_extra_args(false);
        command.add_option("--view", a.view, "in perspective: AZIMUTH,HEIGHT of who looks, in degrees");
        command.add_option("--levels", a.levels, "bands of contours, about so many, between round values")
            ->check(CLI::Range(2, 200));
        command.add_option("--of", a.of, "quantity: a probe or column of the series, a boundary")
            ->group(selection_group);
        command.add_option("--format", a.format, "png, svg or pdf")
            ->check(CLI::IsMember({"png", "svg", "pdf"}))
            ->group(results_group);
      });
  add<PlotArguments>(
      line, "film", "draw a film with fixed axes and range (gif or mp4)",
      "  williwaw film case.out\n  williwaw film case.out --seconds 20 --range \"-5,20\" -o night.mp4", {},
      film, [](CLI::App& command, PlotArguments& a) {
        add_drawing(command, a);
        command.add_option("--seconds", a.seconds, "length of the film, 10 unless given")
            ->check(CLI::Range(0.5, 600.0));
        command
            .add_option("--fps", a.fps,
                        "frames a second, up to 50; with --seconds as many records as that takes, or all")
            ->check(CLI::Range(0.1, 50.0));
      });
  add<ViewArguments>(
      line, "view", "write one self-contained page with a player, to be opened in a browser",
      "  williwaw view case.out\n  williwaw view case.out other.out -o both.html", {}, view,
      [](CLI::App& command, ViewArguments& a) {
        command.add_option("RUN", a.runs, "result folders of runs; several are shown side by side")
            ->required();
        command.add_option("-o,--output", a.output, "page to write, RUN/view.html unless given")
            ->group(results_group);
      });
  add<SampleArguments>(
      line, "sample", "values at places or along a line, after the run",
      "  williwaw sample case.out --at \"2.5 m, 1 m\" --times \"1 h, 2 h\"\n  williwaw sample case.out "
      "--along \"0 m,1 m:4 m,1 m\" -o line.csv",
      {}, sample, [](CLI::App& command, SampleArguments& a) {
        add_results_of(command, a.run);
        command.add_option("--at", a.at, "a place: \"2.5 m, 1 m\"; more than once for several")
            ->allow_extra_args(false)
            ->group(selection_group);
        command.add_option("--along", a.along, "a line: X,Y:X,Y")->group(selection_group);
        command.add_option("--points", a.points, "places along the line, both ends included")
            ->check(CLI::Range(2, 100000))
            ->capture_default_str()
            ->group(selection_group);
        command.add_option("--times", a.times, "recorded times, separated by commas; all unless given")
            ->group(selection_group);
        command.add_option("--of", a.of, "quantities, separated by commas; all unless given")
            ->group(selection_group);
        command.add_option("-o,--output", a.output, "CSV table to write instead of printing")
            ->group(results_group);
      });
  add<CompareArguments>(
      line, "compare", "a run against others, a table, a formula or its exact solution",
      "  williwaw compare case.out other.out\n  williwaw compare case.out other.out third.out --table nodes "
      "--times \"6 h\"",
      {}, compare, [](CLI::App& command, CompareArguments& a) {
        add_results_of(command, a.run);
        command.add_option("OTHER", a.others, "result folders, a CSV table, or the word exact");
        command.add_option("--formula", a.formula, "a formula in SI of the coordinates and t");
        command
            .add_option("--table", a.table,
                        "nodes: values of all runs and tables side by side, at every unknown of RUN")
            ->check(CLI::IsMember({"nodes"}));
        command.add_option(
            "--times", a.times,
            "of a table of nodes: recorded times; those of a CSV table, or the last one, unless given");
        command.add_option("--digits", a.digits, "digits behind the point in the table")
            ->check(CLI::Range(0, 15))
            ->capture_default_str();
        command.add_option("--rows", a.rows, "rows of the table at most; 12 unless given, of nodes all")
            ->check(CLI::Range(1, 100000));
        command
            .add_option(
                "-o,--output", a.output,
                "figure to draw, RUN/figures/compare.png unless given; of a table of nodes a CSV file")
            ->group(results_group);
        add_json(command, a.json);
      });
  add<ExportArguments>(
      line, "export", "write fields for other programs",
      "  williwaw export case.out --to csv --layout wide\n  williwaw export case.out --to vtk --times \"6 "
      "h\"",
      {}, export_run, [](CLI::App& command, ExportArguments& a) {
        add_results_of(command, a.run);
        command.add_option("--to", a.to, "csv, vtk or npy")
            ->required()
            ->check(CLI::IsMember({"csv", "vtk", "npy"}));
        command
            .add_option("--layout", a.layout,
                        "of csv: long (a row for each time and place) or wide (a column for each time)")
            ->check(CLI::IsMember({"long", "wide"}))
            ->capture_default_str();
        command.add_option("--times", a.times, "recorded times, separated by commas; all unless given")
            ->group(selection_group);
        command.add_option("-o,--output", a.folder, "folder to write to, RUN/export unless given")
            ->group(results_group);
      });
}

void add_describing(CommandLine& line) {
  auto* list =
      line.app->add_subcommand("kinds", "boundary conditions, schemes, solvers, figures and columns by name");
  list->callback([&line] { line.chosen = [] { return kinds(); }; });
  const auto as = std::make_shared<std::string>("markdown");
  auto* describe = line.app->add_subcommand(
      "describe", "all commands and options, as a page, as a page of the manual, or as completion for bash");
  describe->add_option("--as", *as, "markdown, manual or completion")
      ->check(CLI::IsMember({"markdown", "manual", "completion"}))
      ->capture_default_str();
  describe->footer(
      "Examples\n  williwaw describe --as manual | man -l -\n  . <(williwaw describe --as completion)");
  describe->callback([&line, as] {
    line.chosen = [&line, as] {
      say_text(*as == "markdown" ? commands_as_markdown(*line.app)
               : *as == "manual" ? commands_as_manual(*line.app)
                                 : commands_as_completion(*line.app));
      return static_cast<int>(done);
    };
  });
}

}  // namespace

std::unique_ptr<CommandLine> command_line() {
  auto line = std::make_unique<CommandLine>();
  line->app = std::make_unique<CLI::App>("Williwaw: heat, diffusion, waves and transport on structured grids",
                                         "williwaw");
  line->app->require_subcommand(1);
  line->app->set_version_flag("--version", std::string("williwaw ") + version);
  line->app->footer(
      "Examples\n  williwaw new heat\n  williwaw run heat.toml\nOptions of a command: williwaw COMMAND "
      "--help");
  add_stating(*line);
  add_running(*line);
  add_looking(*line);
  add_describing(*line);
  return line;
}

}  // namespace williwaw::cli
