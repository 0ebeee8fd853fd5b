// Figures of steady cases and of domains with cut-outs, drawn from cases as users draw them.
#include <doctest/doctest.h>

#include "support/folder.hpp"
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

bool drawn(const RunFolder& run, const casefile::FigureRequest& r) {
  const auto files = draw(run, r);
  return files.size() == 1 && std::filesystem::file_size(files[0]) > 4000;
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
    CHECK(std::filesystem::file_size(files[0]) > 4000);
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
  Output out;
  out.file = folder / "residuals.png";
  draw_residuals(
      {{"cg", steady_run("cg")}, {"sor", steady_run("sor")}, {"multigrid", steady_run("multigrid")}},
      "Three solvers", out);
  CHECK(std::filesystem::file_size(out.file) > 8000);
  out.file = folder / "profiles.png";
  auto along = request("profiles");
  along.along = {Point{0, 0.2, 0}, Point{3, 0.2, 0}};
  draw_profiles({{"cg", steady_run("cg")}, {"direct", steady_run("direct")}}, along, "Two runs", out);
  CHECK(std::filesystem::file_size(out.file) > 8000);
  CHECK_THROWS_AS(draw_residuals({{"none", folder}}, "Nothing", out), PlotError);
}
