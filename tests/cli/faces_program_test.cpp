// Case files with the components of a vector on the faces normal to them.
#include <doctest/doctest.h>

#include <cmath>
#include <fstream>

#include "support/marching.hpp"
#include "support/program.hpp"
#include "support/series.hpp"
#include "williwaw/store/fields.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// Cole (1951) and Hopf (1950) in a closed box: the components vanish on the sides that they are normal to.
const char* const closed_sound = R"case(title = "A wind from a potential, in a closed sound"
[constants]
nu = 0.05
[grid]
unknowns = "faces"
x = { from = 0, to = 1, cells = 20 }
y = { from = 0, to = 0.5, cells = 10 }
[equation]
kind = "system"
velocity = ["u", "v"]
vectors = { wind = ["u", "v"] }
[equation.unknowns.u]
diffusivity = "nu"
[equation.unknowns.v]
diffusivity = "nu"
[equation.unknowns.smoke]
diffusivity = 0
[initial.u]
value = "4*pi*nu*sin(2*pi*x)*cos(2*pi*y)/(2 + cos(2*pi*x)*cos(2*pi*y))"
[initial.v]
value = "4*pi*nu*cos(2*pi*x)*sin(2*pi*y)/(2 + cos(2*pi*x)*cos(2*pi*y))"
[initial.smoke]
value = "1 + 0.5*cos(pi*x)"
[boundary]
west = { u = { dirichlet = 0 }, v = "insulated", smoke = "insulated" }
east = { u = { dirichlet = 0 }, v = "insulated", smoke = "insulated" }
south = { u = "insulated", v = { dirichlet = 0 }, smoke = "insulated" }
north = { u = "insulated", v = { dirichlet = 0 }, smoke = "insulated" }
[space]
reconstruction = "van-leer"
[exact.u]
value = "4*pi*nu*sin(2*pi*x)*cos(2*pi*y)*exp(-8*pi^2*nu*t)/(2 + cos(2*pi*x)*cos(2*pi*y)*exp(-8*pi^2*nu*t))"
[exact.v]
value = "4*pi*nu*cos(2*pi*x)*sin(2*pi*y)*exp(-8*pi^2*nu*t)/(2 + cos(2*pi*x)*cos(2*pi*y)*exp(-8*pi^2*nu*t))"
[time]
until = 0.1
scheme = "rk2"
step = { of_limit = 0.5 }
[record]
every = 0.05
[[probe]]
name = "spread"
of = "wind.divergence"
at = [0.32, 0.22]
[[probe]]
name = "mast"
of = "u"
at = [1, 0.2]
[converge]
levels = 3
)case";

}  // namespace

TEST_CASE("the same wind at cells, at nodes and on faces: order 2 against Cole and Hopf" *
          doctest::skip(test::instrumented)) {
  const auto folder = folder_of("hopf", closed_sound);
  for (const std::string at : {"cells", "nodes", "faces"}) {
    CAPTURE(at);
    const Printed study = williwaw_in(folder, "converge case.toml --set grid.unknowns=" + at);
    REQUIRE(study.code == 0);
    // The last order of each row of errors.
    for (const char* row : {"u: error L2", "v: error L2"}) {
      const auto begin = study.out.find(row);
      REQUIRE(begin != std::string::npos);
      const std::string line = study.out.substr(begin, study.out.find('\n', begin) - begin);
      CHECK(std::stod(line.substr(line.rfind(", ") + 2)) > 1.75);
    }
  }
}

TEST_CASE("results of unknowns on faces stand at cells, their divergence follows from the faces themselves") {
  const auto folder = folder_of("on-faces", closed_sound);
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  const auto nc = folder / "out" / "fields.nc";
  const store::FieldReader u(nc, "u"), v(nc, "v"), wind(nc, "wind"), divergence(nc, "wind.divergence");
  CHECK(u.grid().size(0) == 20);
  CHECK(v.grid().size(1) == 10);
  // At the start, from the formulas on the faces.
  const auto along_x = [](Real x, Real y) {
    return 0.2 * M_PI * std::sin(2 * M_PI * x) * std::cos(2 * M_PI * y) /
           (2 + std::cos(2 * M_PI * x) * std::cos(2 * M_PI * y));
  };
  const auto along_y = [&](Real x, Real y) { return along_x(y, x); };
  for (const auto& [i, j] : {std::pair{0, 0}, {7, 4}, {19, 9}}) {
    const Real west = i / 20.0, east = (i + 1) / 20.0, south = j / 20.0, north = (j + 1) / 20.0,
               x = 0.5 * (west + east), y = 0.5 * (south + north);
    const Real mean = 0.5 * (along_x(west, y) + along_x(east, y)),
               other = 0.5 * (along_y(x, south) + along_y(x, north));
    CHECK(u.field(0).at(i, j) == doctest::Approx(mean).epsilon(1e-12));
    CHECK(v.field(0).at(i, j) == doctest::Approx(other).epsilon(1e-12));
    CHECK(wind.field(0).at(i, j) == doctest::Approx(std::hypot(mean, other)).epsilon(1e-12));
    CHECK(divergence.field(0).at(i, j) ==
          doctest::Approx(20 * (along_x(east, y) - along_x(west, y) + along_y(x, north) - along_y(x, south)))
              .epsilon(1e-10));
  }
  // On the side the component is what the side holds.
  CHECK(u.field(2).sample({1, 0.2, 0}) == doctest::Approx(0).scale(1));
  CHECK(last_of(folder / "out", "u: mast") == doctest::Approx(0).scale(1));
  CHECK(last_of(folder / "out", "wind.divergence: spread") ==
        doctest::Approx(divergence.field(2).sample({0.32, 0.22, 0})).epsilon(1e-6));
  // Smoke is neither made nor lost but by what the divergence gives back.
  CHECK(last_of(folder / "out", "smoke: budget residual") < 1e-13);
  const auto listed = store::FieldReader(nc).quantities();
  CHECK(std::ranges::count(listed, "wind.divergence") == 1);
  CHECK(std::ranges::count(listed, "wind.rotation") == 1);
  for (const char* figure : {"map --of wind.divergence", "arrows --of wind", "contours --of smoke"}) {
    CAPTURE(figure);
    CHECK(williwaw_in(folder, "plot out " + std::string(figure)).code == 0);
  }
  CHECK(williwaw_in(folder, "compare out out").code == 0);
  const Printed check = williwaw_in(folder, "check case.toml");
  CHECK(check.out.find(
            "u on the faces normal to x, v on the faces normal to y, smoke at the centres of cells") !=
        std::string::npos);
  CHECK(check.out.find("200 cells, 630 values of all unknowns") != std::string::npos);
}

TEST_CASE("runs on faces are the same on any number of threads, after a cut, and from stage to stage") {
  const auto folder = folder_of("faces", closed_sound);
  const std::string run = "run case.toml --quiet ";
  REQUIRE(williwaw_in(folder, run + "--threads 1 -o one").code == 0);
  REQUIRE(williwaw_in(folder, run + "--threads 2 -o two").code == 0);
  CHECK(text_of(folder / "one" / "series.csv") == text_of(folder / "two" / "series.csv"));
  // Half of it, and a stage that goes on: the state is taken over as it stands on the faces.
  std::ofstream(folder / "stages.toml") << closed_sound << R"case(
[[stage]]
title = "on"
time.until = 0.1
)case";
  REQUIRE(williwaw_in(folder, "run stages.toml --quiet --set time.until=0.05 --set time.step=0.0025 -o parts")
              .code == 0);
  REQUIRE(williwaw_in(folder, run + "--set time.step=0.0025 -o whole").code == 0);
  for (const char* column : {"u: maximum", "v: maximum", "smoke: maximum"})
    CHECK(last_of(folder / "parts", column) ==
          doctest::Approx(last_of(folder / "whole", column)).epsilon(1e-12));
  // Implicit steps, with Newton's method on all unknowns, end where explicit ones do.
  REQUIRE(williwaw_in(folder, run + "--set time.scheme=sdirk4 --set time.step=0.0125 -o implicit").code == 0);
  CHECK(last_of(folder / "implicit", "u: maximum") ==
        doctest::Approx(last_of(folder / "one", "u: maximum")).epsilon(1e-3));
  CHECK(last_of(folder / "implicit", "u: budget residual") < 1e-11);
}

TEST_CASE("one component along a line stands on its faces, and a scalar beside it at cells") {
  const auto folder = folder_of("line", R"case(title = "A bore that carries a float"
[grid]
unknowns = "faces"
x = { from = "0 km", to = "2 km", cells = 50 }
[equation]
kind = "system"
velocity = ["u"]
vectors = { flow = ["u"] }
[equation.unknowns.u]
unit = "m/s"
diffusivity = "20 m^2/s"
[equation.unknowns.dye]
unit = "kg/m^3"
[initial.u]
value = "2 m/s"
[initial.dye]
value = { formula = "abs(x - 500) < 200 ? 1 : 0", unit = "kg/m^3" }
[boundary]
west = { u = { dirichlet = "2 m/s" }, dye = { dirichlet = "0 kg/m^3" } }
east = "outflow"
[space]
reconstruction = "van-leer"
[time]
until = "5 min"
scheme = "ssprk3"
step = { courant = 0.4 }
[record]
every = "5 min"
)case");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  const store::FieldReader dye(folder / "out" / "fields.nc", "dye"), u(folder / "out" / "fields.nc", "u");
  CHECK(dye.grid().size(0) == 50);
  CHECK(u.field(1).sample({1, 0, 0}) == doctest::Approx(2));
  // 600 m on: nothing of it has left yet.
  const Field end = dye.field(1);
  CHECK(end.sample({1.1, 0, 0}) == doctest::Approx(1).epsilon(0.02));
  CHECK(end.integral() == doctest::Approx(dye.field(0).integral()).epsilon(1e-9));
  Real middle = 0;
  for (Index i = 0; i < 50; ++i) middle += end.grid().point(i).x * end[i] * 0.04;
  CHECK(middle / end.integral() == doctest::Approx(1.1).epsilon(5e-3));
}
