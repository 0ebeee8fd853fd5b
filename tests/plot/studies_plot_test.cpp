// Figures of refinement studies, comparisons and stability.
#include <doctest/doctest.h>

#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "support/handed.hpp"
#include "support/smooth.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::plot;

namespace {

const char* const text = R"case(
title = "Rod"
[grid]
x = { from = 0, to = 1, cells = 10 }
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = "cos(pi*x)"
[boundary]
default = "insulated"
[time]
until = 0.1
scheme = "SCHEME"
step = STEP
[record]
every = 0.05
[exact]
value = "cos(pi*x)*exp(-pi*pi*t)"
[converge]
levels = 3
step_power = 1
)case";

std::filesystem::path written(const std::string& name, const std::string& scheme, const std::string& step) {
  std::string filled = text;
  filled.replace(filled.find("SCHEME"), 6, scheme);
  filled.replace(filled.find("STEP"), 4, step);
  const auto file = test::fresh_folder(name) / "rod.toml";
  std::ofstream(file) << filled;
  return file;
}

// Without what stands from one word up to another.
std::string text_without(const std::string& whole, const std::string& from, const std::string& to) {
  const auto at = whole.find(from);
  return whole.substr(0, at) + whole.substr(whole.find(to));
}

bool is_picture(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  char head[4] = {};
  in.read(head, 4);
  return std::string(head + 1, 3) == "PNG";
}

}  // namespace

TEST_CASE("a refinement study is drawn with the expected slopes") {
  const auto file = written("refinement study", "crank-nicolson", "0.005");
  const auto refinement_study = study::converge(file, {});
  Output out;
  out.file = file.parent_path() / "refinement study.png";
  const test::Handed keeper("refinement");
  draw_convergence(refinement_study, "Rod", out);
  CHECK(is_picture(out.file));
  // Errors fall by the fourth with each halving of both, as the line of order 2 beside them.
  const auto curves = keeper.last().numbers;
  REQUIRE(curves.size() >= 2);
  for (const auto& curve : curves) {
    const std::size_t last = curve.rows - 1;
    const Real order =
        std::log(curve.at(0, 1) / curve.at(last, 1)) / std::log(curve.at(0, 0) / curve.at(last, 0));
    CHECK(order == doctest::Approx(curve.title == "order 1" ? 1 : 2).epsilon(0.1));
  }
  // Changes between levels where no solution is known.
  std::ofstream(file, std::ios::app) << "";
  const auto changes = study::converge(file, {"exact={value='initial'}"});
  draw_convergence(changes, "Rod", out);
  CHECK(is_picture(out.file));
}

TEST_CASE("a run and what it is compared with are drawn over a line or over time") {
  const auto file = written("comparison", "crank-nicolson", "0.005");
  const auto folder = file.parent_path() / "out";
  const auto given = casefile::read_case(file);
  auto prepared = study::prepare(given);
  study::RunOptions options;
  options.folder = folder;
  study::run_case(given, prepared, options);
  auto comparing = study::compare(folder, "exact");
  Output out;
  out.file = file.parent_path() / "compare.png";
  const test::Handed keeper("comparison");
  CHECK(draw_comparison(comparing, out));
  CHECK(is_picture(out.file));
  // Lines and points lie over each other: a run and its exact solution.
  const auto compared = keeper.last();
  REQUIRE(!compared.with("lines").empty());
  REQUIRE(compared.with("lines").size() == compared.with("points").size());
  for (std::size_t n = 0; n < compared.with("lines").size(); ++n)
    CHECK(compared.with("lines")[n].at(0, 1) ==
          doctest::Approx(compared.with("points")[n].at(0, 1)).epsilon(0.02));
  Output series;
  series.file = file.parent_path() / "series.png";
  draw_series({{"one", folder}, {"the same", folder}}, "mean", "Rod", series);
  CHECK(is_picture(series.file));
  REQUIRE(keeper.last().numbers.size() == 2);
  CHECK(keeper.last().numbers[0].values == keeper.last().numbers[1].values);
  CHECK_THROWS_WITH_AS(draw_series({{"one", folder}}, "elsewhere", "Rod", series),
                       doctest::Contains("no column 'elsewhere'"), PlotError);
}

TEST_CASE("a case asks for its refinement study and for the comparison with its exact solution") {
  const auto file = written("asked", "crank-nicolson", "0.005");
  const auto given = casefile::read_case(file, {"figure=[{kind=\"convergence\"},{kind=\"comparison\"}]"});
  check_figures(given);
  auto prepared = study::prepare(given);
  const test::Handed keeper("asked");
  Output out;
  out.file = file.parent_path() / "convergence.png";
  figure_kind("convergence").draw_case(given, prepared, out);
  CHECK(is_picture(out.file));
  CHECK(keeper.last().has("order 2"));
  study::RunOptions options;
  options.folder = file.parent_path() / "out";
  study::run_case(given, prepared, options);
  CHECK(is_picture(draw(RunFolder(options.folder), given.figures[1]).at(0)));
  CHECK(keeper.last().has("points: the other"));
  // Without an exact solution it is refused before anything runs.
  const auto none =
      casefile::read_case(file, {"figure=[{kind=\"comparison\"}]", "exact={value=\"initial\"}"});
  CHECK_NOTHROW(check_figures(none));
  std::string rod = text_without(text, "[exact]", "[converge]");
  rod.replace(rod.find("SCHEME"), 6, "bdf2");
  rod.replace(rod.find("STEP"), 4, "0.005");
  const auto unknown = casefile::read_case_text(rod, "rod.toml", {"figure=[{kind=\"comparison\"}]"});
  CHECK_THROWS_WITH_AS(check_figures(unknown), doctest::Contains("an [exact] solution is needed"),
                       casefile::CaseError);
}

TEST_CASE("plans of two runs, or of a run and a formula, are drawn side by side with their difference") {
  const auto folder = test::fresh_folder("two plans");
  const auto ran = [&](const std::string& name, const std::string& value) {
    const auto given = casefile::read_case_text(R"case(
title = "Plan"
[grid]
x = { from = 0, to = 3, cells = 6 }
y = { from = 0, to = 2, cells = 4 }
[equation]
kind = "diffusion"
diffusivity = 1e-9
[initial]
value = ")case" + value + R"case("
[region.pier]
where = "x < 1 && y < 1"
active = false
[boundary]
default = "insulated"
[time]
until = 1
scheme = "crank-nicolson"
step = 0.5
)case",
                                                "plan.toml");
    auto prepared = study::prepare(given);
    study::RunOptions options;
    options.folder = folder / name;
    study::run_case(given, prepared, options);
    return options.folder;
  };
  const auto first = ran("first", "x"), second = ran("second", "x + 0.5*y");
  const auto check_difference = [](const test::HandedDrawing& drawing, Real sign) {
    const auto maps = drawing.with("image");
    REQUIRE(maps.size() == 3);
    // Row by row from below, so many pixels for a cell along each axis: one whose cell's middle is
    // (1.25, 1.25).
    const auto columns =
        static_cast<std::size_t>(std::lround(std::sqrt(1.5 * static_cast<Real>(maps[0].values.size()))));
    REQUIRE(columns % 6 == 0);
    const std::size_t of_cell = columns / 6, there = (2 * of_cell + 1) * columns + 2 * of_cell + 1;
    CHECK(maps[0].values[there] == doctest::Approx(1.25).epsilon(1e-6));
    CHECK(maps[1].values[there] == doctest::Approx(1.25 + 0.625).epsilon(1e-6));
    CHECK(maps[2].values[there] == doctest::Approx(sign * 0.625).epsilon(1e-6));
    CHECK(std::isnan(maps[0].values[0]));
    CHECK(std::isnan(maps[2].values[0]));
    // One range for both, one of its own, around 0, for the difference.
    const auto ranges = drawing.all("set cbrange");
    REQUIRE(ranges.size() == 3);
    CHECK(ranges[0] == ranges[1]);
    CHECK(std::stod(ranges[2].substr(13)) == doctest::Approx(-0.875).epsilon(1e-6));
    CHECK(std::stod(ranges[2].substr(ranges[2].find(':') + 1)) == doctest::Approx(0.875).epsilon(1e-6));
  };
  Output out;
  out.file = folder / "maps.png";
  const test::Handed keeper("two plans");
  draw_maps({{"one", first}, {"two", second}}, "Plans", out);
  CHECK(is_picture(out.file));
  check_difference(keeper.last(), 1);
  out.file = folder / "compare.png";
  REQUIRE(draw_comparison(study::compare(first, "x + 0.5*y", true), out));
  check_difference(keeper.last(), -1);
  // Of three there is no difference, and one that is not drawn is named.
  draw_maps({{"one", first}, {"two", second}, {"three", first}}, "Plans", out, {"four: blew up"});
  CHECK(keeper.last().with("image").size() == 3);
  CHECK(keeper.last().has("not drawn: four: blew up"));
  // A few places are no plane.
  std::ofstream(folder / "few.csv") << "x,y,concentration\n2,1,3\n2,1.5,3\n";
  CHECK_FALSE(draw_comparison(study::compare(first, (folder / "few.csv").string()), out));
}

TEST_CASE("of many runs as many are drawn as can be told apart, the second half dashed") {
  const auto file = written("many runs", "crank-nicolson", "0.01");
  const auto given = casefile::read_case(file);
  auto prepared = study::prepare(given);
  study::RunOptions options;
  options.folder = file.parent_path() / "out";
  study::run_case(given, prepared, options);
  NamedRuns runs;
  for (int n = 0; n < 20; ++n) runs.emplace_back("run " + std::to_string(n), options.folder);
  Output out;
  out.file = file.parent_path() / "many.png";
  const test::Handed keeper("many runs");
  draw_profiles(runs, {}, "Rods", out, {"another: blew up"});
  const auto drawn = keeper.last();
  const auto curves = drawn.with("lines");
  REQUIRE(curves.size() >= 12);
  CHECK(curves.front().title == "run 0");
  CHECK(drawn.has("run 19"));
  CHECK(drawn.has("Rods (12 of 20)"));
  CHECK(drawn.has("another: blew up"));
  const std::string command = drawn.command("plot ");
  std::size_t dashed = 0;
  for (auto at = command.find("dt (9,6)"); at != std::string::npos; at = command.find("dt (9,6)", at + 1))
    ++dashed;
  CHECK(dashed == 6);
}

TEST_CASE("stability is drawn for every scheme, stable or not, and refused where there is no step") {
  for (const auto& kind : test::first_order_kinds()) {
    if (!kind.parameter.empty()) continue;
    CAPTURE(kind.name);
    for (const char* step : {"0.001", "0.05"}) {
      const auto file = written("stability", kind.name, step);
      const auto given = casefile::read_case(file);
      const auto prepared = study::prepare(given);
      Output out;
      out.file = file.parent_path() / "stability.png";
      draw_analysis(figure_kind("stability"), given, prepared, out);
      CHECK(is_picture(out.file));
    }
  }
  const auto given = casefile::read_case(written("adaptive", "rk45", "{ adaptive = 1e-3 }"));
  const auto prepared = study::prepare(given);
  CHECK_THROWS_WITH_AS(draw_analysis(figure_kind("stability"), given, prepared, {}),
                       doctest::Contains("chosen by their errors"), PlotError);
}
