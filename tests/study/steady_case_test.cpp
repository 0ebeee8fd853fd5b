// Regions, parts, points, reactions and steady problems as cases state them.
#include <doctest/doctest.h>

#include <cmath>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/casefile/formula.hpp"
#include "williwaw/store/maps.hpp"
#include "williwaw/store/run_series.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;
using williwaw::test::fresh_folder;

namespace {

std::string with(std::string text, const std::string& from, const std::string& to) {
  const auto at = text.find(from);
  REQUIRE(at != std::string::npos);
  return text.replace(at, from.size(), to);
}

const char* const plan = R"case(
[grid]
x = { from = "0 m", to = "10 m", cells = 20 }
y = { from = "0 m", to = "8 m", cells = 16 }
[region.hole]
where = "x < 4 && y < 3"
active = false
[region.sand]
where = "x > 7"
[[contact]]
between = ["sand", "default"]
resistance = "0.1 m^2 K/W"
[equation]
kind = "heat"
conductivity = { default = "2 W/m/K", sand = "0.5 W/m/K" }
density = "1900 kg/m^3"
heat_capacity = "1100 J/kg/K"
source = { default = "0 W/m^3", sand = { formula = "2*y", unit = "W/m^3" } }
reaction = { formula = "-3*(u - 5)", unit = "W/m^3", u_unit = "degC" }
points = [{ name = "well", at = ["6 m", "6 m"], rate = "-20 W/m" }]
[initial]
value = "8 degC"
[boundary]
hole = { robin = { coefficient = "2 W/m^2/K", ambient = "15 degC" } }
north = { dirichlet = "6 degC" }
default = "insulated"
corners = ["north"]
[[boundary.part]]
name = "door"
side = "hole"
where = "y < 1"
flux = "3 W/m^2"
[[boundary.part]]
name = "shut"
side = "north"
where = "x < 1"
insulated = true
[steady]
solver = "cg"
tolerance = 1e-8
)case";

// A case and its balance, solved.
struct Run {
  std::filesystem::path folder;
  Case given;
  Prepared prepared;
  RunResult result;

  explicit Run(const std::string& text, const std::filesystem::path& in = fresh_folder("steady-case"))
      : folder(in),
        given(read_case_text(text, folder / "plan.toml")),
        prepared(prepare(given)),
        result(run_case(given, prepared, {folder / "out", {}})) {}
  Real flow(const std::string& line) const {
    for (std::size_t l = 0; l < prepared.balance->lines().size(); ++l)
      if (prepared.balance->lines()[l].name == line) return result.steady->flows[l];
    FAIL("no line " << line);
    return 0;
  }
};

}  // namespace

TEST_CASE("a steady case with regions, parts, points and a reaction in practical units") {
  const Case c = read_case_text(plan, "plan.toml");
  REQUIRE(c.steady);
  CHECK(c.steady->solver == "cg");
  CHECK(c.steady->tolerance == 1e-8);
  const Problem& p = c.problem;
  CHECK(p.regions().size() == 2);
  CHECK(p.equation().diffusion.coefficient[0](Point{8, 1, 0}) == 0.5);
  CHECK(p.equation().diffusion.coefficient[0](Point{6, 1, 0}) == 2);
  CHECK(p.equation().source(Point{8, 3, 0}) == 6);
  CHECK(p.equation().contacts.size() == 1);
  CHECK(p.equation().contacts[0].resistance == doctest::Approx(0.1));
  CHECK(p.equation().points[0].rate(Point{}) == -20);
  REQUIRE(p.equation().reaction);
  CHECK(p.equation().reaction->linear);
  // In SI u is in kelvin: at 6 degC the reaction takes 3 W/m³.
  Points one(1);
  const std::array<Real, 1> u{279.15};
  std::array<Real, 1> rate{};
  p.equation().reaction->rate(one, 0, u, rate);
  CHECK(rate[0] == doctest::Approx(-3));
  CHECK(p.parts().size() == 2);
  CHECK(p.corners == std::vector<std::string>{"north"});

  const Run run(plan);
  CHECK(run.result.steady->reached);
  CHECK(run.flow("point well") == doctest::Approx(-20));
  CHECK(run.flow("door: flux") == doctest::Approx(3));
  CHECK(run.flow("shut: insulated") == 0);
  CHECK(run.flow("source") == doctest::Approx(2 * 4 * 3 * 8));
  Real sum = 0;
  for (std::size_t l = 0; l < run.result.steady->flows.size(); ++l) sum += run.result.steady->flows[l];
  CHECK(std::abs(sum) < 1e-6 * run.result.steady->flows.gross());
}

TEST_CASE("practical units come out right: millimetres a day on a plan of transmissive ground") {
  const Run run(R"case(
[grid]
x = { from = "0 m", to = "1 km", cells = 50 }
y = { from = "0 m", to = "500 m", cells = 25 }
[equation]
kind = "diffusion"
unknown = { name = "head", unit = "m" }
diffusivity = "400 m^2/day"
source = "1.2 mm/day"
points = [{ name = "pump", at = ["700 m", "250 m"], rate = "-90 m^3/day" }]
[initial]
value = "10 m"
[boundary]
west = { dirichlet = "12 m" }
default = "insulated"
[steady]
)case");
  const Real day = 86400;
  CHECK(run.flow("source") == doctest::Approx(1.2e-3 / day * 5e5));
  CHECK(run.flow("point pump") == doctest::Approx(-90 / day));
  CHECK(run.flow("west: dirichlet") == doctest::Approx(-(1.2e-3 * 5e5 - 90) / day).epsilon(1e-8));
  // Shown as it was written: for each day.
  CHECK(run.given.flow_scale.unit == "m^3/day");
  CHECK(run.given.flow_scale.shown_difference(run.flow("point pump")) == doctest::Approx(-90));
  CHECK(run.given.flux_scale.unit == "m^2/day");
  // The series and the table of boundaries too: what comes in at the west, over 25 cells of 20 m.
  const store::RunSeries series(run.folder / "out" / "series.csv");
  const auto column = series.table().find("flow west: dirichlet");
  REQUIRE(column);
  CHECK(series.column(*column).unit == "m^3/day");
  CHECK(series.values(*column).back() == doctest::Approx(-510).epsilon(1e-6));
  CHECK(test::text_of(run.folder / "out" / "boundaries.csv").find(",flux [m^2/day],") != std::string::npos);
  CHECK_THROWS_AS(read_case_text(with(R"case(
[grid]
x = { from = "0 m", to = "1 km", cells = 50 }
[equation]
kind = "diffusion"
unknown = { name = "head", unit = "m" }
diffusivity = "400 m^2/day"
source = "1.2 mm/day"
[initial]
value = "10 m"
[boundary]
default = "insulated"
[steady]
)case",
                                      "mm/day", "mm^2/day"),
                                 "plan.toml"),
                  CaseError);
}

TEST_CASE("a mask is read from a NetCDF file, counted, and called a staircase") {
  const auto folder = fresh_folder("mask");
  // A run of a case whose field is its own mask: 1 where x + y < 6.
  const std::string mask = R"case(
[grid]
x = { from = "0 m", to = "10 m", cells = 20 }
y = { from = "0 m", to = "8 m", cells = 16 }
[equation]
kind = "diffusion"
unknown = { name = "tag" }
diffusivity = "1 m^2/s"
[initial]
value = { formula = "x + y < 6", unit = "1" }
[boundary]
default = "insulated"
[time]
until = "1 s"
scheme = "implicit-euler"
step = "1 s"
)case";
  const Case writer = read_case_text(mask, folder / "mask.toml");
  {
    const auto balance = make_balance(writer.problem);
    store::FieldWriter file(folder / "mask.nc", writer.problem.grid(),
                            {"", "tag", {}, {}, {}, "", "", false});
    file.append(0, balance->field(balance->initial_state(), 0));
    file.finish();
  }
  const store::MapValues on_west(folder / "mask.nc", "tag_on_west");
  CHECK(on_west.shape() == std::vector<std::size_t>{1, 16});
  // The field has a time axis in front, and is refused for it.
  const std::string text = with(with(plan, "where = \"x < 4 && y < 3\"",
                                     "mask = { file = \"mask.nc\", variable = \"tag\", equals = 1 }"),
                                "[steady]", "[steady]");
  CHECK_THROWS_WITH_AS(
      read_case_text(text, folder / "plan.toml"),
      doctest::Contains("'tag' has the shape 1 x 16 x 20, but this grid's is 16 x 20 (y, x)"), CaseError);
}

TEST_CASE("round coordinates: a pipe's boundary from its case") {
  const Run run(R"case(
[grid]
coordinates = "cylindrical"
unknowns = "nodes"
r = { from = "2 cm", to = "5 cm", nodes = 13 }
[equation]
kind = "heat"
conductivity = "0.04 W/m/K"
density = "30 kg/m^3"
heat_capacity = "1000 J/kg/K"
[initial]
value = "20 degC"
[boundary]
inner = { dirichlet = "70 degC" }
outer = { robin = { coefficient = "9 W/m^2/K", ambient = "5 degC" } }
[steady]
[exact]
value = { formula = "70 - 65*log(r/0.02)/(log(2.5) + 0.04/(9*0.05))", unit = "degC" }
)case");
  CHECK(run.flow("inner: dirichlet") ==
        doctest::Approx(2 * M_PI * 0.04 * 65 / (std::log(2.5) + 0.04 / (9 * 0.05))).epsilon(1e-9));
  REQUIRE(run.result.comparisons.size() == 1);
  CHECK(run.result.comparisons[0].norms.max < 1e-9);
}

TEST_CASE("boundary nodes at the start: the boundary's value, the initial one, or the mean") {
  const std::string text = R"case(
[grid]
unknowns = "nodes"
x = { from = 0, to = 1, nodes = 5 }
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = 1
boundary_nodes = "boundary"
[boundary]
west = { dirichlet = 3 }
east = "insulated"
[time]
until = 0.1
scheme = "implicit-euler"
step = 0.01
)case";
  for (const auto& [boundaries, expected] : {std::pair{"boundary", 3.0}, {"initial", 1.0}, {"mean", 2.0}}) {
    const auto folder = fresh_folder("boundaries");
    const Case c =
        read_case_text(with(text, "\"boundary\"", "\"" + std::string(boundaries) + "\""), folder / "c.toml");
    Prepared prepared = prepare(c);
    const RunResult result = run_case(c, prepared, {folder / "out", {}});
    CHECK(result.outcome.budget.relative_residual() < 1e-13);
    const store::FieldReader fields(folder / "out" / "fields.nc");
    CHECK(fields.field(0).at(0) == expected);
    CHECK(fields.field(1).at(0) == 3);
  }
}

TEST_CASE("formulas of u: affine ones are found") {
  const Constants none;
  for (const char* formula : {"-3*(u - 5)", "2*x*u + sin(t)", "7", "u", "(x - 2)*u/3"})
    CHECK(compile_reaction(formula, none, {"x", "t"}).linear);
  for (const char* formula : {"-u^2", "u*(1 - u)", "exp(u/300)", "sqrt(u)", "max(u, 1)"})
    CHECK_FALSE(compile_reaction(formula, none, {"x", "t"}).linear);
  CHECK(compile_reaction("u + t", none, {"x", "t"}).on_time);
  CHECK_THROWS_AS(compile_reaction("u + w", none, {"x"}), InputError);
  const Where inside_disc = compile_where("(x - 1)^2 + y^2 < 4", none, {"x", "y"});
  Points two(2);
  two.set(0, {1, 1, 0});
  two.set(1, {4, 0, 0});
  std::array<char, 2> in{};
  inside_disc(two, in);
  CHECK(in[0] == 1);
  CHECK(in[1] == 0);
}

TEST_CASE("check says what acts where: regions, parts, contacts, and how an outline is resolved") {
  const Case c = read_case_text(plan, "plan.toml");
  Prepared prepared = prepare(c);
  const std::string text = check_report(c, prepared).text();
  for (const char* line : {"form                   0 = ∇·(conductivity ∇u) + source + reaction(u) + points",
                           "reaction               -3*(u - 5)  (linear in u)",
                           "hole           inactive, 12 m^2; outline 7 m; exact (outline along grid faces)",
                           "sand           material, 24 m^2", "active domain  68 m^2",
                           "resistance 0.1 between 'sand' and the rest of the domain",
                           "door   flux 3 W/m^2 into the domain   (part of hole)   (2 faces, 1 m)",
                           "shut   insulated: no flux   (part of north)   (2 faces, 1 m)",
                           "solver        conjugate gradients\n"})
    CHECK_MESSAGE(text.find(line) != std::string::npos, line, "\n", text);
  // An equation of one cell shows all that acts on it.
  const std::string cell = stencil_report(c, prepared, {4.2, 0.3, 0}).text();
  CHECK(cell.find("boundary door: flux") != std::string::npos);
  CHECK(cell.find("reaction") != std::string::npos);
}

TEST_CASE("nodes shared by prescribed boundaries are told, whichever rule counts") {
  const std::string text = R"case(
[grid]
unknowns = "nodes"
x = { from = 0, to = 1, nodes = 5 }
y = { from = 0, to = 1, nodes = 5 }
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = 0
[boundary]
west = { dirichlet = 1 }
south = { dirichlet = 3 }
default = "insulated"
corners = "mean"
[steady]
)case";
  for (const auto& [rule, words, corner] :
       {std::tuple{"\"mean\"", "mean of both values", 2.0},
        std::tuple{"[\"south\", \"west\"]", "value of south, then west, else the mean", 3.0}}) {
    const auto folder = fresh_folder("corners");
    const Case c = read_case_text(with(text, "\"mean\"", rule), folder / "c.toml");
    Prepared prepared = prepare(c);
    CHECK(check_report(c, prepared).text().find(words) != std::string::npos);
    run_case(c, prepared, {folder / "out", {}});
    CHECK(store::FieldReader(folder / "out" / "fields.nc").field(0).at(0, 0) == corner);
  }
}

TEST_CASE("a mask of the grid's own shape cuts a staircase, and is called one") {
  const auto folder = fresh_folder("good-mask");
  const Grid g(
      {Axis::uniform("x", 0, 10, 20, Unknowns::cells), Axis::uniform("y", 0, 8, 16, Unknowns::cells)});
  std::vector<Real> fractions(static_cast<std::size_t>(g.count()));
  Real area = 0;
  for (Index n = 0; n < g.count(); ++n) {
    const Point p = g.point_of(n);
    fractions[n] = p.x + p.y < 4 ? 7 : 0;
    if (fractions[n] == 7) area += g.volume_of(n);
  }
  {
    // The variable `volume_fraction` has no time axis: it will do for a tag.
    store::FieldWriter file(folder / "mask.nc", g, {"", "u", {}, {}, {}, "", "", false}, fractions);
    file.append(0, Field(g));
    file.finish();
  }
  const std::string text = with(plan, "where = \"x < 4 && y < 3\"",
                                "mask = { file = \"mask.nc\", variable = \"volume_fraction\", equals = 7 }");
  const Case c = read_case_text(text, folder / "plan.toml");
  Prepared prepared = prepare(c);
  CHECK(prepared.balance->volume() == doctest::Approx(80 - area));
  const OutlineMeasure& m = prepared.balance->outline().measure();
  CHECK(m.cut[0] == doctest::Approx(area));
  // Steps along a diagonal are as long as its two legs, whatever the grid.
  CHECK(m.exposed[0] == doctest::Approx(7));
  CHECK(check_report(c, prepared).text().find("staircase outline of a mask, length not converging") !=
        std::string::npos);
}
