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

TEST_CASE("a run and what it is compared with are drawn over a line or over time, not on a plan") {
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
  comparing.axes = {"x", "y"};
  CHECK_FALSE(draw_comparison(comparing, out));
  Output series;
  series.file = file.parent_path() / "series.png";
  draw_series({{"one", folder}, {"the same", folder}}, "mean", "Rod", series);
  CHECK(is_picture(series.file));
  REQUIRE(keeper.last().numbers.size() == 2);
  CHECK(keeper.last().numbers[0].values == keeper.last().numbers[1].values);
  CHECK_THROWS_WITH_AS(draw_series({{"one", folder}}, "elsewhere", "Rod", series),
                       doctest::Contains("no column 'elsewhere'"), PlotError);
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
      draw_stability(given, prepared, out);
      CHECK(is_picture(out.file));
    }
  }
  const auto given = casefile::read_case(written("adaptive", "rk45", "{ adaptive = 1e-3 }"));
  const auto prepared = study::prepare(given);
  CHECK_THROWS_WITH_AS(draw_stability(given, prepared, {}), doctest::Contains("chosen by their errors"),
                       PlotError);
}
