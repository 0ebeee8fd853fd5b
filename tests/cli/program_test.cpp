// The program as its users meet it.
#include "support/program.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <functional>
#include <sstream>

#include "support/json.hpp"
#include "support/marching.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {
const std::string cases = CASES;
}

TEST_CASE("a starter case can be written, checked and run as it is") {
  for (const std::string kind : {"heat", "diffusion"}) {
    const auto folder = fresh_folder("new");
    CHECK(williwaw_in(folder, "new " + kind + " mine.toml").code == 0);
    CHECK(williwaw_in(folder, "new " + kind + " mine.toml").code == 2);  // nothing is overwritten
    CHECK(williwaw_in(folder, "check mine.toml").code == 0);
    const Printed run = williwaw_in(folder, "run mine.toml");
    CHECK(run.code == 0);
    CHECK(std::filesystem::exists(folder / "mine.out" / "fields.nc"));
    CHECK(run.out.find("mine.out/figures") != std::string::npos);
    // The time in parts is the last word of the log, and the parts make up the whole.
    const std::string log = text_of(folder / "mine.out" / "run.log");
    const auto parts = log.find("  time in parts\n");
    REQUIRE(parts != std::string::npos);
    CHECK(log.find("solving", parts) != std::string::npos);
    CHECK(log.find("figure ", parts) != std::string::npos);
    std::istringstream lines(log.substr(parts));
    double sum = 0, whole = -1;
    for (std::string line; std::getline(lines, line);) {
      if (!line.ends_with(" s")) continue;
      CHECK(whole < 0);
      const double seconds = std::stod(line.substr(line.rfind(' ', line.size() - 3)));
      CHECK(seconds >= 0);
      (line.find("  whole") != std::string::npos ? whole : sum) += seconds;
    }
    CHECK(std::abs(whole + 1 - sum) < 0.01);
  }
}

TEST_CASE("check prints its sections in order and the same words as JSON") {
  const Printed text = williwaw_in(".", "check " + cases + "/hut-floor.toml");
  CHECK(text.code == 0);
  std::size_t last = 0;
  for (const char* title :
       {"equation\n", "\ngrid\n", "\nboundaries\n", "\nschemes\n", "\nstability\n", "\ncost\n"}) {
    const auto at = text.out.find(title);
    REQUIRE(at != std::string::npos);
    CHECK(at >= last);
    last = at;
  }
  const auto json = Json(williwaw_in(".", "check --json " + cases + "/hut-floor.toml").out);
  CHECK(json.at("/boundaries/west") == "\"temperature prescribed: night (-22 degC)\"");
  CHECK(json.at("/stability/verdict") == "\"stable\"");
  CHECK(json.number("/stability/this_step/value") == doctest::Approx(1.0 / 60));
  CHECK(json.at("/stability/this_step/unit") == "\"h\"");
  CHECK(json.at("/cost/steps/value") == "720");
}

TEST_CASE("check and run agree on an unstable step; --force shows the blow-up") {
  const auto folder = fresh_folder("unstable");
  const std::string set = " --set time.scheme=explicit-euler --set time.step=\"20 s\" ";
  const Printed check = williwaw_in(folder, "check " + cases + "/hut-floor.toml" + set);
  CHECK(check.code == 3);
  CHECK(check.out.find("UNSTABLE") != std::string::npos);
  const Printed run = williwaw_in(folder, "run " + cases + "/hut-floor.toml" + set);
  CHECK(run.code == 3);
  CHECK(run.error.find("is unstable: the largest stable step is 17.28") != std::string::npos);
  CHECK_FALSE(std::filesystem::exists(folder / "hut-floor.out"));
  const Printed forced = williwaw_in(folder, "run --force " + cases + "/hut-floor.toml" + set);
  CHECK(forced.code == 3);
  CHECK(forced.error.find("the run blew up at t = ") != std::string::npos);
  CHECK(std::filesystem::exists(folder / "hut-floor.out" / "fields.nc"));
}

TEST_CASE("run says as JSON what it says in words") {
  const auto folder = fresh_folder("json");
  const Printed run = williwaw_in(folder, "run --json " + cases + "/hut-floor.toml --set figure=[]");
  CHECK(run.code == 0);
  const auto json = Json(run.out);
  CHECK(json.at("/end/ending") == "\"end reached\"");
  CHECK(json.number("/budget/relative_residual") < 1e-12);
  CHECK(json.at("/end/minimum/unit") == "\"degC\"");
  const auto summary = Json(text_of(folder / "hut-floor.out" / "summary.json"));
  CHECK(summary.at("/budget") == json.at("/budget"));
  for (const auto& [header, kind] : {std::pair{"t", "time"},
                                     {"minimum", "extremum"},
                                     {"mean", "mean"},
                                     {"total", "content"},
                                     {"flow west: dirichlet", "flow"},
                                     {"amount west: dirichlet", "amount"},
                                     {"source", "flow"},
                                     {"budget residual", "residual"},
                                     {"interpolated", "mark"}})
    CHECK(summary.kind("/columns_of_series_csv", header) == kind);
}

TEST_CASE("a series is read by what its columns are, wherever they stand") {
  const auto folder = fresh_folder("roles");
  REQUIRE(williwaw_in(folder, "run --quiet " + cases + "/hut-floor.toml --set figure=[]").code == 0);
  const auto series = folder / "hut-floor.out" / "series.csv";
  std::istringstream lines(text_of(series));
  const auto rewrite = [&](const std::function<std::string(std::vector<std::string>, bool)>& row) {
    std::istringstream in(lines.str());
    std::ofstream out(series);
    std::string line;
    for (bool first = true; std::getline(in, line); first = false) {
      std::vector<std::string> cells;
      std::istringstream cut(line);
      for (std::string cell; std::getline(cut, cell, ',');) cells.push_back(cell);
      out << row(std::move(cells), first) << "\n";
    }
  };
  const auto joined = [](const std::vector<std::string>& cells) {
    std::string all;
    for (const auto& cell : cells) all += (all.empty() ? "" : ",") + cell;
    return all;
  };
  // All columns but the time the other way round.
  rewrite([&](std::vector<std::string> cells, bool) {
    std::reverse(cells.begin() + 1, cells.end());
    return joined(cells);
  });
  const Printed turned = williwaw_in(folder, "plot hut-floor.out budget");
  CAPTURE(turned.error);
  CHECK(turned.code == 0);
  // One that the run did not write, where probes would stand.
  rewrite([&](std::vector<std::string> cells, bool first) {
    cells.insert(cells.begin() + 1, first ? "by hand [degC]" : "1");
    return joined(cells);
  });
  const Printed more = williwaw_in(folder, "plot hut-floor.out budget");
  CHECK(more.code != 0);
  CHECK(more.error.find("series.csv:1: column 'by hand' is not one of a run's series; take it out") !=
        std::string::npos);
}

TEST_CASE("more figures and a film from a finished run") {
  const auto folder = fresh_folder("figures");
  REQUIRE(williwaw_in(folder, "run --quiet " + cases + "/hut-floor.toml --set figure=[]").code == 0);
  const auto draws = [&](const std::string& arguments, const std::string& file) {
    const Printed printed = williwaw_in(folder, arguments);
    CAPTURE(printed.error);
    CHECK(printed.code == 0);
    CHECK(printed.out == file + "\n");
    CHECK(std::filesystem::file_size(folder / file) > 2000);
  };
  draws("plot hut-floor.out", "hut-floor.out/figures/profiles.png");
  draws("plot hut-floor.out profiles --times \"1 h,360 min\" --range \"-25,20\" --format svg",
        "hut-floor.out/figures/profiles.svg");
  draws("plot hut-floor.out series --of pipe --size 640x400 --format pdf",
        "hut-floor.out/figures/series-pipe.pdf");
  draws("plot hut-floor.out spacetime -o st.png", "st.png");
  draws("film hut-floor.out --seconds 2", "hut-floor.out/figures/film.gif");
}

TEST_CASE("the documented kinds are those of the program") {
  const auto folder = fresh_folder("kinds");
  const Printed printed = williwaw_in(folder, "kinds");
  CHECK(printed.code == 0);
  // scripts/derive-docs writes it.
  CHECK(printed.out == text_of(std::filesystem::path(TESTS) / "../docs/kinds.md"));
}

TEST_CASE("what is said of commands elsewhere is what they say of themselves") {
  const Printed page = williwaw_in(".", "describe");
  CHECK(page.code == 0);
  CHECK(page.out == text_of(std::filesystem::path(TESTS) / "../docs/commands.md"));
  const Printed manual = williwaw_in(".", "describe --as manual");
  CHECK(manual.out.starts_with(".TH WILLIWAW 1"));
  const Printed help = williwaw_in(".", "--help");
  for (const char* command : {"new", "check", "run", "recover", "sweep", "converge", "demo", "plot", "film",
                              "view", "sample", "compare", "export", "kinds", "describe"}) {
    CAPTURE(std::string(command));
    CHECK(help.out.find("\n  " + std::string(command) + " ") != std::string::npos);
    CHECK(page.out.find("\n## " + std::string(command) + "\n") != std::string::npos);
    CHECK(manual.out.find("\n.SH " + std::string(command) + "\n") != std::string::npos);
    const Printed own = williwaw_in(".", std::string(command) + " --help");
    CHECK(own.code == 0);
    // The same options there and in the page.
    std::istringstream lines(own.out);
    for (std::string line; std::getline(lines, line);)
      if (const auto at = line.find("--");
          at != std::string::npos && line.find_first_not_of(' ') < at + 1 && at < 8) {
        const std::string option = line.substr(at, line.find_first_of(" ,", at) - at);
        if (option != "--help") CHECK(page.out.find("`" + option + "`") != std::string::npos);
      }
  }
  // What a shell offers for words that are begun.
  const auto offered = [&](const std::string& words, int at) {
    return run_in(".", std::string("bash -c '. <(\"") + PROGRAM +
                           "\" describe --as completion); COMP_WORDS=(" + words +
                           "); COMP_CWORD=" + std::to_string(at) + "; _williwaw; echo \"${COMPREPLY[*]}\"'")
        .out;
  };
  CHECK(offered("williwaw s", 1) == "sweep sample\n");
  CHECK(offered("williwaw export --l", 2) == "--layout\n");
  CHECK(offered("williwaw run ca", 2) == "\n");
}

TEST_CASE("every starter case is read, and its comments list what there is") {
  const auto folder = fresh_folder("starters");
  for (const std::string kind : {"heat", "diffusion", "wave", "transport", "conservation"}) {
    CAPTURE(kind);
    REQUIRE(williwaw_in(folder, "new " + kind).code == 0);
    CHECK(williwaw_in(folder, "check " + kind + ".toml").code == 0);
    const std::string text = text_of(folder / (kind + ".toml"));
    CHECK(text.find('@') == std::string::npos);
    if (kind == "transport") CHECK(text.find("third-order weno5") != std::string::npos);
    CHECK((text.find("crank-nicolson theta bdf2") != std::string::npos) ==
          (kind == "heat" || kind == "diffusion"));
  }
}

TEST_CASE("every command that opens a case refuses a figure that is not there, before it solves anything") {
  const auto folder = fresh_folder("no-such-figure");
  const std::string bad = cases + "/hut-floor.toml --set 'figure=[{kind=\"maps\"}]'";
  for (const char* command : {"check", "run", "converge", "sweep", "plot"}) {
    CAPTURE(std::string(command));
    const Printed printed = williwaw_in(folder, command + (" " + bad));
    CHECK(printed.code == 2);
    CHECK(printed.error.find("figure.kind: unknown value 'maps'; did you mean 'map'?") != std::string::npos);
    CHECK(std::filesystem::is_empty(folder));
  }
}

TEST_CASE("what cannot be drawn is said in words") {
  const auto folder = fresh_folder("cannot");
  REQUIRE(williwaw_in(folder, "run --quiet " + cases + "/hut-floor.toml --set figure=[]").code == 0);
  const auto complaint = [&](const std::string& arguments) {
    const Printed printed = williwaw_in(folder, arguments);
    CHECK(printed.code == 2);
    return printed.error;
  };
  CHECK(complaint("plot hut-floor.out map") ==
        "map: two axes are needed; in 1-D there are profiles and spacetime\n");
  CHECK(complaint("plot hut-floor.out contours") ==
        "contours: two axes are needed; in 1-D there are profiles and spacetime\n");
  CHECK(complaint("plot hut-floor.out strip") ==
        "strip: two axes are needed; in 1-D there are profiles and spacetime\n");
  CHECK(complaint("plot hut-floor.out rainbow")
            .starts_with("there is no figure called 'rainbow'; there are profiles, map, contours, "));
  CHECK(complaint("plot hut-floor.out slices") ==
        "slices: three axes are needed; in 2-D there are map and contours\n");
  CHECK(complaint("plot hut-floor.out residuals").find("residuals belong to [steady]") != std::string::npos);
  CHECK(complaint("plot hut-floor.out boundary --of west").find("in 2-D only") != std::string::npos);
  CHECK(complaint("export hut-floor.out --to csv --times \"17 min\"")
            .find("no record at 17 min; the nearest") != std::string::npos);
  CHECK(complaint("export hut-floor.out --to xls").find("--to") != std::string::npos);
  CHECK(complaint("export hut-floor.out --to npy --layout wide") == "--layout belongs to --to csv\n");
  CHECK(complaint("sweep " + cases + "/hut-floor.toml --vary time.step").find("is not KEY=A,B,C") !=
        std::string::npos);
  CHECK(
      complaint("sweep " + cases + "/hut-floor.toml --vary time.scheme=leap").find("unknown value 'leap'") !=
      std::string::npos);
  CHECK(complaint("plot hut-floor.out series --of mast").find("has no column called 'mast'") !=
        std::string::npos);
  CHECK(complaint("plot hut-floor.out --times soon") ==
        "--times: 'soon' is not a number; give it in h or with a unit\n");
  CHECK(complaint("plot hut-floor.out --times \"3 m\"") == "--times: unit 'm' does not fit; 'h' would\n");
  CHECK(complaint("plot hut-floor.out --size big") ==
        "--size: 'big' is not WIDTHxHEIGHT, such as 1280x800\n");
  CHECK(complaint("plot nowhere.out").find("nowhere.out") != std::string::npos);
  CHECK(complaint("film hut-floor.out -o film.avi").find("is neither") != std::string::npos);
}

TEST_CASE("a steady case: checked, run, its budget, its boundaries and its figures") {
  const auto folder = fresh_folder("steady");
  const Printed check = williwaw_in(folder, "check " + cases + "/cellar.toml");
  CHECK(check.code == 0);
  for (const char* line :
       {"cellar         inactive, 48 m^2; outline 14 m; exact (outline along grid faces)",
        "tank           inactive, 15.2", "changes with half the spacing: 0.0",
        "cellar door  exchange with 4 degC, coefficient 6 W/m^2/K   (part of cellar)   (8 faces, 2 m)",
        "multigrid  (chosen automatically)", "1e-10"})
    CHECK_MESSAGE(check.out.find(line) != std::string::npos, line);
  const Printed run = williwaw_in(folder, "run --json " + cases + "/cellar.toml");
  CHECK(run.code == 0);
  const Json json(run.out);
  CHECK(json.at("/end/steady_state") == "\"reached\"");
  CHECK(json.number("/budget/total_inflow/value") ==
        doctest::Approx(json.number("/budget/total_outflow/value")).epsilon(1e-9));
  CHECK(json.number("/budget/from_point_borehole_3/value") == doctest::Approx(-12));
  CHECK(std::abs(json.number("/budget/left_by_the_solver/value")) < 1e-6);
  CHECK(text_of(folder / "cellar.out" / "boundaries.csv")
            .starts_with("boundary,x [m],y [m],area [m],flux [W/m^2],temperature on the boundary [degC]\n"));
  for (const char* figure : {"contours", "budget", "boundary-cellar", "residuals"})
    CHECK(std::filesystem::exists(folder / "cellar.out" / "figures" / (std::string(figure) + ".png")));
  // A tolerance that is not met is not hidden.
  const Printed hasty = williwaw_in(
      folder,
      "run " + cases + "/cellar.toml --set steady.solver=jacobi --set steady.iterations=50 --set figure=[]");
  CHECK(hasty.code == 4);
  CHECK(hasty.error.find("was not reached: after 50 iterations") != std::string::npos);
  CHECK(hasty.out.find("error left") != std::string::npos);
  CHECK(williwaw_in(folder, "check --at 2,2 " + cases + "/cellar.toml").out.find("is inactive") !=
        std::string::npos);
}

TEST_CASE("sweep runs one key over values: one table, one figure, and says what cannot be done") {
  const auto folder = fresh_folder("sweep");
  const Printed solvers =
      williwaw_in(folder, "sweep " + cases + "/cellar.toml --vary steady.solver=multigrid,cg,transform");
  CHECK(solvers.code == 4);
  CHECK(solvers.out.find("multigrid      reached") != std::string::npos);
  CHECK(solvers.out.find("transform      cannot       fast transforms need") != std::string::npos);
  CHECK(std::filesystem::exists(folder / "cellar.sweep" / "residuals.png"));
  const Printed schemes = williwaw_in(
      folder, "sweep --json " + cases +
                  "/hut-floor.toml --vary time.scheme=crank-nicolson,implicit-euler --set figure=[]");
  CHECK(schemes.code == 0);
  const Json json(schemes.out);
  CHECK(json.at("/implicit_euler/verdict") == "\"stable\"");
  CHECK(json.number("/crank_nicolson/mean") ==
        doctest::Approx(json.number("/implicit_euler/mean")).epsilon(0.1));
  CHECK(std::filesystem::exists(folder / "hut-floor.sweep" / "profiles.png"));
  CHECK(std::filesystem::exists(folder / "hut-floor.sweep" / "time.scheme-implicit-euler" / "series.csv"));
}

TEST_CASE("what flows through prescribed nodes is a number from the first row on, however the run ends") {
  const auto folder = fresh_folder("first_row");
  const std::string nodes = " --set grid.unknowns=nodes --set figure=[]";
  for (const std::string until : {"settled", "\"2 h\""}) {
    CAPTURE(until);
    REQUIRE(williwaw_in(folder, "run --quiet " + cases + "/hut-floor.toml --set time.until=" + until +
                                    " --set settled.fraction=0.5" + nodes)
                .code == 0);
    std::istringstream rows(text_of(folder / "hut-floor.out" / "series.csv"));
    std::string header, first;
    std::getline(rows, header);
    std::getline(rows, first);
    CHECK(header.find("flow west: dirichlet") != std::string::npos);
    CHECK(first.find("nan") == std::string::npos);
    CHECK(first.find("inf") == std::string::npos);
  }
}

TEST_CASE("until = \"settled\" ends when the asked share of the way is done") {
  const auto folder = fresh_folder("settled");
  const Printed run = williwaw_in(
      folder, "run --json " + cases +
                  "/hut-floor.toml --set time.until=settled --set figure=[] --set settled.fraction=0.95");
  CHECK(run.code == 0);
  const Json json(run.out);
  CHECK(json.at("/end/ending") == "\"end reached\"");
  // What the slowest mode alone would need, from below and above.
  CHECK(json.number("/distance_to_the_steady_state/95_percent_settled/value") ==
        doctest::Approx(json.number("/end/time/value")).epsilon(1e-3));
  CHECK(json.number("/end/time/value") > 10 * 60);
  CHECK(json.number("/end/time/value") < 60 * 60);
}

TEST_CASE("unknown commands are refused") {
  CHECK(williwaw_in(".", "simulate x").code == 2);
  CHECK(williwaw_in(".", "check nothing.toml").code == 2);
  CHECK(williwaw_in(".", "--help").code == 0);
  CHECK(williwaw_in(".", "--version").out == "williwaw 0.1.0\n");
}

TEST_CASE("the discrete equation of one cell") {
  const Printed printed = williwaw_in(".", "check --at 0.001 " + cases + "/hut-floor.toml");
  CHECK(printed.code == 0);
  CHECK(printed.out.find("du/dt = 280·(u_east − u)") != std::string::npos);
  CHECK(williwaw_in(".", "check --at 9 " + cases + "/hut-floor.toml").code == 2);
}

TEST_CASE("a run into a folder with results says so and mixes nothing of both") {
  const auto folder = fresh_folder("again");
  const std::string short_run =
      "run " + cases + "/hut-floor.toml -o night --set time.until='1 h' --set record.every='30 min'";
  const std::string figures = " --set 'figure=[{ kind = \"profiles\" }]'", none = " --set 'figure=[]'";
  const Printed first = williwaw_in(folder, short_run + figures);
  REQUIRE(first.code == 0);
  CHECK(first.out.find("earlier") == std::string::npos);
  for (const char* command : {"plot night series", "view night", "export night --to csv"})
    REQUIRE(williwaw_in(folder, command).code == 0);
  std::ofstream(folder / "night" / "notes.txt") << "mine";
  const std::string before = text_of(folder / "night" / "series.csv");

  const Printed kept =
      williwaw_in(folder, short_run + none + " --keep --set 'boundary.west={ dirichlet = \"-5 degC\" }'");
  CHECK(kept.code == 0);
  CHECK(text_of(folder / "night" / "series.csv") == before);
  CHECK(std::filesystem::exists(folder / "night-2" / "fields.nc"));

  const Printed again =
      williwaw_in(folder, short_run + none + " --set 'boundary.west={ dirichlet = \"-5 degC\" }'");
  CHECK(again.code == 0);
  CHECK(again.out.find("night: the results of an earlier run there are replaced (--keep leaves them)") !=
        std::string::npos);
  CHECK(again.out.find(
            "figures/series.png shows the results of an earlier run: it is night/earlier/series.png now") !=
        std::string::npos);
  CHECK(text_of(folder / "night" / "series.csv") == text_of(folder / "night-2" / "series.csv"));
  CHECK(text_of(folder / "night" / "series.csv") != before);
  std::vector<std::string> left;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder / "night"))
    left.push_back(entry.path().lexically_relative(folder / "night").string());
  std::ranges::sort(left);
  CHECK(left == std::vector<std::string>{"boundaries.csv", "case.toml", "earlier", "earlier/series.png",
                                         "fields.nc", "notes.txt", "run.log", "series.csv", "summary.json",
                                         "written"});
}

TEST_CASE("the line that a terminal shows fits into it" * doctest::skip(instrumented)) {
  const auto folder = folder_of("live", R"case(title = "A plate that takes its time"
[grid]
x = { from = 0, to = 1, cells = 400 }
y = { from = 0, to = 1, cells = 400 }
[equation]
kind = "diffusion"
unknown = { name = "concentration" }
diffusivity = 1e-3
[initial]
value = "sin(3*x)*cos(2*y)"
[boundary]
default = "insulated"
[time]
until = 4
scheme = "explicit-euler"
step = 1e-3
tiling = "off"
[record]
every = 4
series = 4
)case");
  for (const int columns : {40, 80, 200}) {
    CAPTURE(columns);
    const Printed shown = run_in(folder, "script -qec \"stty cols " + std::to_string(columns) + "; '" +
                                             PROGRAM + "' run case.toml -o run\" /dev/null");
    CHECK(shown.code == 0);
    const std::string renewed = "\r\033[K";
    std::size_t lines = 0;
    for (auto at = shown.out.find(renewed); at != std::string::npos; at = shown.out.find(renewed, at + 1)) {
      const auto from = at + renewed.size();
      const std::string line = shown.out.substr(from, shown.out.find_first_of("\r\n", from) - from);
      if (line.find(" %") == std::string::npos) continue;
      ++lines;
      CAPTURE(line);
      const auto width = std::ranges::count_if(line, [](char c) { return (c & 0xc0) != 0x80; });
      CHECK(width < columns);
      // What matters most is there in the narrowest; all in the widest.
      CHECK(line.find("t = ") != std::string::npos);
      CHECK(line.find("left") != std::string::npos);
      CHECK((line.find("change") != std::string::npos) == (columns == 200));
    }
    CHECK(lines > 0);
  }
}

TEST_CASE("values of a run at places and along a line, as a table and as CSV") {
  const auto folder = fresh_folder("sample");
  REQUIRE(williwaw_in(folder, "run " + cases + "/hut-floor.toml --quiet -o run --set 'figure=[]'").code == 0);
  const store::FieldReader fields(folder / "run" / "fields.nc");
  const auto record = std::ranges::find(fields.times(), 6.0) - fields.times().begin();
  const Real expected = fields.field(record).sample({0.12, 0, 0});
  const Printed one = williwaw_in(folder, "sample run --at '12 cm' --times '6 h'");
  REQUIRE(one.code == 0);
  std::istringstream lines(one.out);
  std::string head;
  Real t = 0, x = 0, value = 0;
  std::getline(lines, head);
  lines >> t >> x >> value;
  CHECK(head.find("t [h]  x [m]  temperature [degC]") != std::string::npos);
  CHECK(t == 6);
  CHECK(x == 0.12);
  CHECK(value == doctest::Approx(expected).epsilon(1e-5));
  REQUIRE(williwaw_in(folder, "sample run --along 0.1:0.3 --points 5 --times '0 h, 6 h' -o line.csv").code ==
          0);
  const store::Series table = store::read_series(folder / "line.csv");
  REQUIRE(table.values.size() == 4);
  REQUIRE(table.values[0].size() == 10);
  CHECK(table.columns[1].header() == "distance [m]");
  CHECK(table.values[1][9] == doctest::Approx(0.2));
  CHECK(table.values[2][6] == doctest::Approx(0.15));
  CHECK(table.values[3][6] == doctest::Approx(fields.field(record).sample({0.15, 0, 0})));
  const auto refused = [&](const std::string& options, const std::string& what) {
    const Printed printed = williwaw_in(folder, "sample run " + options);
    CHECK(printed.code == 2);
    CHECK(printed.error.find(what) != std::string::npos);
  };
  refused("", "give one of --at (places) and --along (a line)");
  refused("--at 0.1 --along 0:1", "give one of");
  refused("--at 0.5", "--at: the point lies outside the domain: x = 0.5");
  refused("--at 0.1,0.2", "--at: 1 position is needed, one for each axis");
  refused("--at '3 s'", "--at: unit 's' does not fit");
  refused("--at 0.1 --times '7 min'", "--times: no record at 7 min; the nearest is at 0 h");
  refused("--at 0.1 --of salt", "--of: this run has 'temperature' only");
}

TEST_CASE("demos run in the current folder and say what to look at") {
  const auto folder = fresh_folder("demo");
  const Printed printed = williwaw_in(folder, "demo");
  CHECK(printed.code == 0);
  CHECK(printed.out.find("look at") != std::string::npos);
  CHECK(std::filesystem::exists(folder / "hut-floor.out" / "figures" / "profiles.png"));
  // Commands that can be pasted, from here and from elsewhere.
  const auto command = [](const std::string& text, const std::string& what) {
    const auto at = text.find(what), from = text.rfind('\n', at) + 1;
    REQUIRE(at != std::string::npos);
    const std::string line = text.substr(from, text.find('\n', from) - from);
    return line.substr(0, line.find("    ", 4));
  };
  CHECK(run_in(folder, command(printed.out, " view hut-floor.out")).code == 0);
  CHECK(run_in(folder, command(printed.out, " plot hut-floor.out")).code == 0);
  CHECK(run_in(folder, command(printed.out, " check ")).code == 0);
  std::filesystem::create_directory(folder / "a b");
  std::filesystem::create_symlink(PROGRAM, folder / "a b" / "near");
  const Printed near = run_in(folder, "'a b/near' new heat 'a b/case.toml'");
  CHECK(near.out == "a b/case.toml\nnow: 'a b/near' check 'a b/case.toml'\n");
  CHECK(williwaw_in(folder, "demo tidal-bore -o 'a b/results'").code == 0);
  CHECK(std::filesystem::exists(folder / "a b" / "results" / "fields.nc"));
  const Printed wrong = williwaw_in(folder, "demo hut-flor");
  CHECK(wrong.code == 2);
  CHECK(wrong.error.find("did you mean 'hut-floor'?") != std::string::npos);
}

TEST_CASE("a second run into the same folder leaves nothing of the first") {
  const auto folder = fresh_folder("again");
  REQUIRE(williwaw_in(folder, "run --quiet " + cases + "/hut-floor.toml").code == 0);
  CHECK(std::filesystem::exists(folder / "hut-floor.out" / "figures" / "series.png"));
  REQUIRE(williwaw_in(folder, "run --quiet " + cases + "/hut-floor.toml --set figure=[]").code == 0);
  CHECK_FALSE(std::filesystem::exists(folder / "hut-floor.out" / "figures" / "series.png"));
}

TEST_CASE("an interrupt ends a run with 130, keeps what was recorded and leaves it readable") {
  const auto folder = fresh_folder("interrupt");
  // Long enough to be met on its way, whatever the machine.
  const std::string long_run = "run --quiet " + cases +
                               "/hut-floor-explicit.toml --set figure=[] --set time.until=\"40000 day\" "
                               "--set record.every=\"10 day\" --set record.series=\"1 day\" & pid=$!; sleep "
                               "1.5; kill -INT $pid; wait $pid";
  const Printed printed = williwaw_in(folder, long_run);
  CHECK(printed.code == 130);
  CHECK(std::filesystem::exists(folder / "hut-floor-explicit.out" / "fields.nc"));
  CHECK(williwaw_in(folder, "plot hut-floor-explicit.out").code == 0);
  const auto summary = Json(text_of(folder / "hut-floor-explicit.out" / "summary.json"));
  CHECK(summary.at("/end/ending") == "\"interrupted\"");
}

TEST_CASE("a longer run prints plain lines where there is no terminal") {
  const auto folder = fresh_folder("progress");
  const Printed printed =
      williwaw_in(folder, "run " + cases + "/brine-tank.toml --set figure=[] --set time.until=\"3 day\"");
  CHECK(printed.code == 0);
  CHECK(printed.out.find("\r") == std::string::npos);
  CHECK(printed.out.find("residual") != std::string::npos);
}

TEST_CASE("an exact solution by a series is compared at every record") {
  const auto folder = fresh_folder("exact");
  const std::string exact =
      "--set 'exact.value={ formula = \"-22 + 40*sum_over(n, 0, 60, "
      "4/(pi*(2*n+1))*sin((2*n+1)*pi*x/(2*slab))*exp(-((2*n+1)*pi/(2*slab))^2*1.4/(2200*880)*t))\", unit = "
      "\"degC\" }'";
  const Printed printed =
      williwaw_in(folder, "run --json " + cases +
                              "/hut-floor.toml --set figure=[] --set boundary.east=insulated --set "
                              "record.every=\"3 h\" --set record.series=\"1 h\" " +
                              exact);
  REQUIRE(printed.code == 0);
  const auto json = Json(printed.out);
  CHECK(json.size("/against_the_exact_solution") == 5);
  CHECK(json.number("/against_the_exact_solution/at_12_h/value") < 5e-3);
  CHECK(json.at("/against_the_exact_solution/at_12_h/unit") == "\"degC\"");
}

TEST_CASE("the number of threads changes nothing in what is written") {
  const auto folder = fresh_folder("threads");
  const std::string run =
      "run --quiet " + cases +
      "/ice-deck.toml --set figure=[] --set time.until=\"1 h\" --set grid.x.cells=400 --set grid.z.cells=60 "
      "--set time.scheme=explicit-euler --set 'time.step={ of_limit = 0.9 }' --threads ";
  REQUIRE(williwaw_in(folder, run + "1 -o one").code == 0);
  REQUIRE(williwaw_in(folder, run + "2 -o two").code == 0);
  CHECK(text_of(folder / "one" / "series.csv") == text_of(folder / "two" / "series.csv"));
  CHECK(williwaw_in(folder, run + "0").code == 2);
}

TEST_CASE("a folder that holds anything but a run is left alone") {
  const auto folder = fresh_folder("precious");
  std::filesystem::create_directories(folder / "figures");
  std::ofstream(folder / "figures" / "mine.png") << "mine";
  const Printed printed = williwaw_in(folder, "run --quiet " + cases + "/hut-floor.toml -o .");
  CHECK(printed.code == 2);
  CHECK(printed.error == ".: contains other files; give another folder with -o\n");
  CHECK(text_of(folder / "figures" / "mine.png") == "mine");
}

TEST_CASE("boundaries.csv gives the flux into the domain, whatever way it goes") {
  const auto folder = fresh_folder("flux on boundaries");
  std::ofstream(folder / "rod.toml") << "title = \"Rod\"\n[grid]\nx = { from = 0, to = 2, cells = 4 }\n"
                                        "[equation]\nkind = \"diffusion\"\ndiffusivity = 3\n"
                                        "[boundary]\nwest = { dirichlet = 5 }\neast = { dirichlet = 1 }\n"
                                        "[initial]\nvalue = 0\n[steady]\n";
  CHECK(williwaw_in(folder, "run rod.toml").code == 0);
  // u = 5 − 2x: 6 goes in at the west and comes out at the east.
  std::istringstream rows(text_of(folder / "rod.out" / "boundaries.csv"));
  std::string header, west, east;
  std::getline(rows, header);
  std::getline(rows, west);
  std::getline(rows, east);
  const auto number = [](const std::string& row, int column) {
    std::size_t from = 0;
    for (int c = 0; c < column; ++c) from = row.find(',', from) + 1;
    return std::stod(row.substr(from));
  };
  CHECK(west.starts_with("west,0,1,"));
  CHECK(east.starts_with("east,2,1,"));
  CHECK(number(west, 3) == doctest::Approx(6).epsilon(1e-8));
  CHECK(number(east, 3) == doctest::Approx(-6).epsilon(1e-8));
  CHECK(number(west, 4) == doctest::Approx(5));
  CHECK(number(east, 4) == doctest::Approx(1));
}
