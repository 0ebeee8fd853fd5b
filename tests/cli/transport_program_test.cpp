// EvaluatedAdvection as its users meet it: bundled cases, a table of schemes, an outlet that feeds on itself.
#include <doctest/doctest.h>

#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "support/json.hpp"
#include "support/marching.hpp"
#include "support/program.hpp"
#include "support/text.hpp"

using namespace williwaw::test;

namespace {

// A basin whose advection has backflow through its mouth with every tide.
const char* const basin_case = R"case(title = "Basin"
[grid]
x = { from = 0, to = 1, cells = 24 }
y = { from = 0, to = 1, cells = 24 }
[equation]
kind = "transport"
velocity = { stream_function = "0.6*sin(2*pi*t)*x^2*sin(2*pi*y)/(2*pi) + 0.15*x^2*sin(pi*y)" }
[initial]
value = "exp(-20*((x - 0.7)^2 + (y - 0.4)^2))"
[boundary]
east = "outflow"
default = "insulated"
[space]
reconstruction = "van-leer"
[time]
until = 20
scheme = "ssprk3"
step = { courant = 0.45 }
[record]
series = 1
)case";

}  // namespace

TEST_CASE("a plain outflow under backflow blows up and says why; a stated one runs its cycles") {
  const auto folder = fresh_folder("basin");
  std::ofstream(folder / "basin.toml") << basin_case;
  const Printed plain = williwaw_in(folder, "run basin.toml --quiet -o plain");
  CHECK(plain.code == 3);
  const std::string log = text_of(folder / "plain" / "summary.json");
  CHECK(log.find("backflow through 'east'") != std::string::npos);
  const Printed stated = williwaw_in(
      folder, "run basin.toml -o stated --json --set 'boundary.east={ outflow = { backflow = 0 } }'");
  REQUIRE(stated.code == 0);
  const Json told(stated.out);
  CHECK(told.number("/end/maximum") < 1);
  CHECK(std::abs(told.number("/budget/relative_residual")) < 1e-11);
}

TEST_CASE("the bore by its six schemes in one table, and the dye over one tide on half the grid" *
          doctest::skip(instrumented)) {
  const auto folder = fresh_folder("bundled");
  std::filesystem::copy(std::string(CASES) + "/data", folder / "data");
  for (const char* name : {"tidal-bore", "dye-patch"})
    std::filesystem::copy(std::string(CASES) + "/" + name + ".toml", folder / (std::string(name) + ".toml"));
  const Printed table = williwaw_in(folder, "sweep tidal-bore.toml --set grid.x.cells=100 -o bores");
  REQUIRE(table.code == 0);
  for (const char* scheme :
       {"as written", "first order", "superbee", "weno5", "Lax-Wendroff", "central, rk4"})
    CHECK(table.out.find(scheme) != std::string::npos);
  const Printed run =
      williwaw_in(folder,
                  "run dye-patch.toml --json -o out --set grid.x.cells=60 --set grid.y.cells=38 "
                  "--set 'time.until=\"12.42 h\"' --set 'figure=[]'");
  REQUIRE(run.code == 0);
  const Json told(run.out);
  CHECK(told.number("/budget/from_point_sewer/value") == doctest::Approx(3e-3 * 12.42 * 3600).epsilon(1e-6));
  CHECK(std::abs(told.number("/budget/relative_residual")) < 1e-12);
  const Printed check = williwaw_in(folder, "check dye-patch.toml");
  CHECK(check.out.find("backflow, west") != std::string::npos);
  CHECK(check.out.find("inflow value prescribed") != std::string::npos);
}
