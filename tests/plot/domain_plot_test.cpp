// Figures of steady cases and of domains with cut-outs, drawn from cases as users draw them.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "support/folder.hpp"
#include "support/handed.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::plot;
using williwaw::test::fresh_folder;

namespace {

const char* const plan = R"case(
title = "Plan with a round hole"
[grid]
unknowns = "cells"
x = { from = "0 m", to = "3 m", cells = 30 }
y = { from = "0 m", to = "2 m", cells = 20 }
[region.well]
where = "(x - 1)^2 + (y - 1)^2 < 0.36"
active = false
[equation]
kind = "heat"
conductivity = "2 W/m/K"
density = "2000 kg/m^3"
heat_capacity = "900 J/kg/K"
[initial]
value = "5 degC"
[boundary]
well = { robin = { coefficient = "9 W/m^2/K", ambient = "20 degC" } }
east = { dirichlet = "-4 degC" }
default = "insulated"
)case";

std::filesystem::path run_of(const std::string& written) {
  const auto folder = fresh_folder("domain-plot");
  const casefile::Case c = casefile::read_case_text(written, folder / "plan.toml");
  study::Prepared prepared = study::prepare(c);
  study::run_case(c, prepared, {folder / "out", {}});
  return folder / "out";
}

std::filesystem::path steady_run(const std::string& solver = "cg") {
  return run_of(std::string(plan) + "[steady]\nsolver = \"" + solver + "\"\n");
}

casefile::FigureRequest request(const std::string& kind, const std::string& of = "") {
  casefile::FigureRequest r;
  r.kind = kind;
  r.of = of;
  return r;
}

// One file, of numbers or bars that are all finite but where the domain is cut out.
bool drawn(const RunFolder& run, const casefile::FigureRequest& r) {
  const test::Handed keeper("drawn");
  const auto files = draw(run, r);
  const test::HandedDrawing handed = keeper.last();
  std::size_t finite = handed.count("set object");
  for (const auto& numbers : handed.numbers)
    finite += static_cast<std::size_t>(
        std::ranges::count_if(numbers.values, [](Real v) { return std::isfinite(v); }));
  return files.size() == 1 && std::filesystem::exists(files[0]) && finite >= 2;
}

}  // namespace

TEST_CASE("a steady state's figures: contours, surface, map, budget, residuals, boundaries") {
  const RunFolder run(steady_run());
  for (const char* kind : {"contours", "surface", "map", "budget", "residuals"}) {
    INFO(kind);
    CHECK(drawn(run, request(kind)));
  }
  CHECK(drawn(run, request("boundary", "well")));
  CHECK(drawn(run, request("boundary", "east")));
  CHECK_THROWS_WITH_AS(
      draw(run, request("boundary", "roof")),
      doctest::Contains("there is no boundary called 'roof'; there are west, east, south, north, well"),
      PlotError);
  CHECK_THROWS_AS(draw(run, request("slices")), PlotError);
  // The whole range is that of what is left of the plan.
  CHECK(run.range().first > -4.1);
  CHECK(run.range().second < 20);
}

TEST_CASE("maps and contours end where cut-outs do, not at cells: round, along axes, and at crests") {
  struct Cut {
    std::string where;
    bool (*inside)(Real x, Real y);
  };
  const Cut cuts[] = {
      {"(x - 1)^2 + (y - 1)^2 < 0.36",
       [](Real x, Real y) { return (x - 1) * (x - 1) + (y - 1) * (y - 1) < 0.36; }},
      // Corners between the places where the outline was looked for.
      {"x < 1.234 && y < 0.777", [](Real x, Real y) { return x < 1.234 && y < 0.777; }},
      // Rows above the crest and below the trough are not crossed by the outline.
      {"y > 1.3 + 0.3*sin(4*x)", [](Real x, Real y) { return y > 1.3 + 0.3 * std::sin(4 * x); }},
      // Everything but a round pond.
      {"(x - 1.6)^2 + (y - 1.1)^2 > 0.7",
       [](Real x, Real y) { return (x - 1.6) * (x - 1.6) + (y - 1.1) * (y - 1.1) > 0.7; }}};
  for (const Cut& cut : cuts) {
    CAPTURE(cut.where);
    std::string text = plan;
    const std::string old = "(x - 1)^2 + (y - 1)^2 < 0.36";
    text.replace(text.find(old), old.size(), cut.where);
    if (cut.where.starts_with("(x - 1.6)")) {
      const std::string east = "east = { dirichlet = \"-4 degC\" }\n";
      text.erase(text.find(east), east.size());
    }
    const RunFolder run(run_of(text + "[steady]\nsolver = \"direct\"\n"));
    for (const char* kind : {"map", "contours"}) {
      CAPTURE(kind);
      const test::Handed keeper("cut-outs");
      draw(run, request(kind));
      const std::vector<Real> pixels = keeper.last().with("image").at(0).values;
      const auto columns =
          static_cast<std::size_t>(std::lround(std::sqrt(1.5 * static_cast<Real>(pixels.size()))));
      const std::size_t rows = pixels.size() / columns;
      REQUIRE(columns * rows == pixels.size());
      REQUIRE(columns >= 400);
      std::size_t wrong = 0, left_out = 0;
      for (std::size_t n = 0; n < pixels.size(); ++n) {
        const Real x = 3 * (static_cast<Real>(n % columns) + 0.5) / static_cast<Real>(columns),
                   y = 2 * (static_cast<Real>(n / columns) + 0.5) / static_cast<Real>(rows), near = 5e-4;
        const bool inside = cut.inside(x, y);
        left_out += inside ? 1 : 0;
        if (inside == cut.inside(x + near, y + near) && inside == cut.inside(x - near, y - near) &&
            inside == cut.inside(x + near, y - near) && inside == cut.inside(x - near, y + near))
          wrong += std::isnan(pixels[n]) == inside ? 0 : 1;
      }
      CHECK(wrong == 0);
      CHECK(left_out > 1000);
    }
  }
}

TEST_CASE("contours at a chosen number of levels, in a chosen range, in every format") {
  const RunFolder run(steady_run());
  for (const Index levels : {2, 7, 25}) {
    auto r = request("contours");
    r.levels = levels;
    CHECK(drawn(run, r));
  }
  auto narrow = request("contours");
  narrow.range = {0, 10};
  CHECK(drawn(run, narrow));
  for (const char* format : {"svg", "pdf"}) {
    const auto files = draw(run, request("contours"), format);
    REQUIRE(files.size() == 1);
    CHECK(files[0].extension() == "." + std::string(format));
    CHECK(test::text_of(files[0]).starts_with(std::string(format) == "pdf" ? "%PDF" : "<?xml"));
  }
}

TEST_CASE("a run in time has a budget of amounts, and no residuals") {
  const RunFolder run(
      run_of(std::string(plan) + "[time]\nuntil = \"2 day\"\nscheme = \"implicit-euler\"\nstep = \"2 h\"\n"));
  CHECK(drawn(run, request("budget")));
  CHECK(drawn(run, request("boundary", "well")));
  CHECK_THROWS_AS(draw(run, request("residuals")), PlotError);
  auto r = request("contours");
  r.times = {0, 86400, 172800};
  CHECK(draw(run, r).size() == 2);  // only the start and the end were recorded
}

TEST_CASE("several solvers' residuals and several runs' profiles lie over each other") {
  const auto folder = fresh_folder("overlay");
  const test::Handed keeper("overlay");
  Output out;
  out.file = folder / "residuals.png";
  draw_residuals(
      {{"cg", steady_run("cg")}, {"sor", steady_run("sor")}, {"multigrid", steady_run("multigrid")}},
      "Three solvers", out);
  std::vector<std::string> names;
  for (const auto& curve : keeper.last().numbers) {
    names.push_back(curve.title);
    CHECK(curve.at(curve.rows - 1, 1) < 1e-10);
    CHECK(curve.at(0, 1) > 1e-3);
  }
  CHECK(names == std::vector<std::string>{"cg", "sor", "multigrid"});
  out.file = folder / "profiles.png";
  auto along = request("profiles");
  along.along = {Point{0, 0.2, 0}, Point{3, 0.2, 0}};
  draw_profiles({{"cg", steady_run("cg")}, {"direct", steady_run("direct")}}, along, "Two runs", out);
  const auto curves = keeper.last().numbers;
  REQUIRE(curves.size() == 2);
  for (std::size_t i = 0; i < curves[0].rows; ++i)
    CHECK(curves[0].at(i, 1) == doctest::Approx(curves[1].at(i, 1)).epsilon(1e-6));
  CHECK_THROWS_AS(draw_residuals({{"none", folder}}, "Nothing", out), PlotError);
}
