#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/study/check.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;

namespace {

const char* const plate = R"case(
[constants]
warm = "20 degC"
half = "0.1 m"
[grid]
unknowns = "nodes"
x = { from = "0 cm", to = "40 cm", spacing = "1 cm" }
z = { from = "0 m", to = "2*half", nodes = 11 }
[equation]
kind = "heat"
conductivity = { x = "2 W/m/K", z = "3 W/m/K" }
density = "2 g/cm^3"
heat_capacity = "1000 J/kg/K"
source = "500 W/m^3"
[initial]
value = { formula = "18 + 5*sin(pi*x/0.4)", unit = "degC" }
[boundary]
top = { robin = { coefficient = "8 W/m^2/degC", ambient = "warm" }, flux = "15 W/m^2" }
west = { dirichlet = { formula = "18 + 4*sin(2*pi*t/day)", unit = "degC" } }
east = { gradient = "-3 K/m" }
default = "insulated"
[time]
until = "2 h"
scheme = "theta"
theta = 0.6
step = "1 min"
[record]
times = ["30 min", "1 h"]
series = "10 min"
[[probe]]
name = "middle"
at = ["20 cm", "half"]
[exact]
value = { formula = "280 + x", unit = "K" }
)case";

}  // namespace

TEST_CASE("a case becomes a problem in SI") {
  const Case c = read_case_text(plate, "plate.toml");
  const Grid& g = c.problem.grid();
  CHECK(g.dimension() == 2);
  CHECK(g.axis(0).size() == 41);
  CHECK(g.axis(1).size() == 11);
  CHECK(g.axis(1).to() == doctest::Approx(0.2));
  const Equation& e = c.problem.equation();
  CHECK(e.storage(Point{}) == doctest::Approx(2e6));
  CHECK(e.diffusion.coefficient[0](Point{}) == 2);
  CHECK(e.diffusion.coefficient[2](Point{}) == 3);
  CHECK(e.source(Point{}) == 500);
  CHECK(c.problem.initial({0.2, 0, 0}) == doctest::Approx(296.15));
  const auto& top = c.problem.boundary(*g.side("top"));
  CHECK(top.conditions().size() == 2);
  CHECK(top.conditions()[0]->arguments()[1](Point{}) == doctest::Approx(293.15));
  const auto& west = c.problem.boundary(*g.side("west")).conditions()[0];
  CHECK(west->arguments()[0](Point{}, 6 * 3600) == doctest::Approx(295.15));
  CHECK(c.problem.boundary(*g.side("bottom")).conditions()[0]->kind() == "insulated");
  CHECK(c.plan.until == 7200);
  CHECK(c.plan.scheme.tableau().b[1] == 0.6);
  CHECK(c.plan.records == std::vector<Real>{1800, 3600});
  CHECK(c.probes[0].at.z == doctest::Approx(0.1));
  CHECK(c.exact.has_value());
}

TEST_CASE("results are shown in the units of the case") {
  const Case c = read_case_text(plate, "plate.toml");
  CHECK(c.length.unit == "cm");
  CHECK(c.length.shown(0.2) == doctest::Approx(20));
  CHECK(c.time.unit == "h");
  CHECK(c.value.unit == "degC");
  CHECK(c.value.shown(273.15) == doctest::Approx(0));
  CHECK(c.value.si(20) == doctest::Approx(293.15));
  CHECK(c.amount_unit == "J/m");
  CHECK(c.duration(30) == "30 s");
  CHECK(c.duration(7200) == "2 h");
}

TEST_CASE("a dimensionless case needs no unit anywhere") {
  const Case c = read_case_text(R"case(
[grid]
x = { from = -1, to = 1, cells = 10 }
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = "x > 0"
[boundary]
west = "periodic"
east = "periodic"
[time]
until = 1
scheme = "rk4"
step = { of_limit = 0.5 }
)case",
                                "plain.toml");
  CHECK(c.value.unit.empty());
  CHECK(c.problem.grid().axis(0).periodic());
  CHECK(c.step.of_limit);
  const Prepared p = prepare(c);
  CHECK(p.longest_step <= 0.5 * p.stability.limit.step * (1 + 1e-12));
  CHECK(p.longest_step > 0.4 * p.stability.limit.step);
}

TEST_CASE("overrides replace values, conditions are replaced whole") {
  const Case c = read_case_text(
      plate, "plate.toml", {"boundary.top={ flux = \"3 W/m^2\" }", "time.step=30 s", "grid.x.spacing=2 cm"});
  CHECK(c.problem.boundary(*c.problem.grid().side("top")).conditions().size() == 1);
  CHECK(c.step.value == 30);
  CHECK(c.problem.grid().axis(0).size() == 21);
  // What is run is kept as TOML that reads as the same case.
  const Case again = read_case_text(c.text, "again.toml");
  CHECK(again.problem.grid() == c.problem.grid());
  CHECK(again.step.value == 30);
  CHECK(again.problem.boundary(*c.problem.grid().side("top")).conditions().size() == 1);
}

TEST_CASE("an override that is wrong says so by its own words") {
  CHECK_THROWS_WITH_AS(read_case_text(plate, "plate.toml", {"time.stepp=3 s"}),
                       "--set time.stepp=3 s: time.stepp: unknown key; did you mean 'step'?", CaseError);
  CHECK_THROWS_AS(read_case_text(plate, "plate.toml", {"nonsense"}), CaseError);
}

TEST_CASE("periodic sides, default boundaries and z alone") {
  const Case c = read_case_text(R"case(
[grid]
z = { from = "0 m", to = "2 m", cells = 20 }
[equation]
kind = "diffusion"
unknown = { name = "moisture", unit = "kg/m^3" }
diffusivity = "12 mm^2/day"
[initial]
value = 0
[boundary]
top = { flux = "0.3 g/m^2/day" }
default = { dirichlet = "1 g/L" }
[time]
until = "30 day"
scheme = "implicit-euler"
step = "1 day"
)case",
                                "column.toml");
  CHECK(c.problem.grid().side_name({0, true}) == "top");
  CHECK(c.problem.boundary({0, false}).holds());
  CHECK(c.problem.boundary({0, true}).conditions()[0]->arguments()[0](Point{}) ==
        doctest::Approx(0.3e-3 / 86400));
  CHECK(c.problem.equation().diffusion.coefficient[2](Point{}) == doctest::Approx(12e-6 / 86400));
  CHECK(c.problem.equation().unknown == "moisture");
  CHECK(c.length.unit == "m");
}

TEST_CASE("check agrees with what runs: one declaration for both") {
  Case c = read_case_text(plate, "plate.toml");
  c.plan.scheme = scheme("explicit-euler");
  for (const Real fraction : {0.9, 1.1}) {
    c.step = {true, false, fraction};
    Prepared p = prepare(c);
    CHECK(p.stability.stable() == (fraction < 1));
    const std::string text = check_report(c, p).text();
    CHECK((text.find("UNSTABLE") == std::string::npos) == (fraction < 1));
    CHECK(text.find("west") != std::string::npos);
    CHECK(check_report(c, p).json().find("\"largest_stable_step\"") != std::string::npos);
  }
}

TEST_CASE("starter cases read and check without a complaint") {
  for (const char* kind : {"heat", "diffusion", "wave", "transport", "conservation", "unsaturated"}) {
    const Case c = read_case_text(starter_case(kind), "starter.toml");
    Prepared p = prepare(c);
    CHECK(p.stability.stable());
  }
  CHECK_THROWS_WITH_AS(starter_case("heta"), "unknown kind 'heta'; did you mean 'heat'?", InputError);
}

TEST_CASE("bundled cases read and are stable") {
  for (const char* name : {"hut-floor", "hut-floor-explicit", "ice-deck", "brine-tank"}) {
    CAPTURE(name);
    const Case c = read_case(std::string(CASES) + "/" + name + ".toml");
    Prepared p = prepare(c);
    CHECK(p.stability.stable());
    CHECK(p.stability.limit.standing == verify::Limit::Standing::sharp);
  }
}

TEST_CASE("the stencil of a cell is printed in full") {
  const Case c = read_case(std::string(CASES) + "/hut-floor.toml");
  Prepared p = prepare(c);
  const std::string text = stencil_report(c, p, place_from(c, "0.001")).text();
  CHECK(text.find("boundary west: dirichlet") != std::string::npos);
  CHECK(text.find("560·u") != std::string::npos);  // k/(h/2) = 1.4/0.0025
  CHECK(text.find("280·(u_east − u)") != std::string::npos);
  CHECK_THROWS_AS(place_from(c, "0.5"), InputError);
  CHECK_THROWS_AS(place_from(c, "warm"), InputError);
  CHECK_THROWS_AS(place_from(c, "0.1,0.2"), InputError);
}

TEST_CASE("graded axes are data: growth, and every face by itself") {
  const char* const graded = R"case(
[grid]
unknowns = "cells"
x = { from = "0 mm", to = "31 mm", cells = 5, growth = 2 }
z = { faces = ["0 mm", "1 mm", "4 mm", "10 mm"] }
[equation]
kind = "diffusion"
diffusivity = "1e-9 m^2/s"
[initial]
value = { formula = "x/0.031", unit = "1" }
[boundary]
west = { dirichlet = 0 }
east = { dirichlet = "1" }
default = "insulated"
[time]
until = "20 day"
scheme = "implicit-euler"
step = "1 day"
)case";
  const Case c = read_case_text(graded, "graded.toml");
  const Axis &x = c.problem.grid().axis(0), &z = c.problem.grid().axis(1);
  REQUIRE(x.size() == 5);
  CHECK(x.faces()[1] == doctest::Approx(0.001));
  CHECK(x.faces()[4] == doctest::Approx(0.015));
  CHECK(x.to() == 0.031);
  CHECK(z.widths()[1] == doctest::Approx(0.003));
  CHECK(c.length.unit == "mm");
  // A linear profile is steady on any spacing.
  Prepared p = prepare(c);
  State y = p.initial;
  march(*p.balance, y, p.plan);
  for (std::size_t n = 0; n < y.size(); ++n) CHECK(y[n] == doctest::Approx(p.initial[n]).epsilon(1e-12));
  CHECK(check_report(c, p).text().find("spacing 1.5 to 12 mm") != std::string::npos);
}

TEST_CASE("what a figure shows is recorded") {
  const Case c =
      read_case(std::string(CASES) + "/hut-floor.toml",
                {"record.every=6 h", "figure=[{ kind = \"profiles\", times = [\"1 h\", \"7 h\"] }]"});
  CHECK(c.plan.records == std::vector<Real>{3600, 6 * 3600, 7 * 3600, 12 * 3600});
}
