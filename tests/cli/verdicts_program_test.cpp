// Verdicts through the program: what is refused, what is refuted, what ends early and still leaves its
// records.
#include <doctest/doctest.h>

#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "support/json.hpp"
#include "support/program.hpp"
#include "support/text.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

const char* const law_case = R"case(title = "A law"
[grid]
x = { from = 0, to = 2, cells = 200 }
[equation]
kind = "conservation"
flux = "quadratic"
[initial]
value = 0
[boundary]
west = { dirichlet = 1 }
east = "outflow"
[time]
until = 1.2
scheme = "explicit-euler"
step = 0.03
)case";

}  // namespace

TEST_CASE("a law that starts from rest is judged by the values that its boundary brings") {
  const auto folder = folder_of("law-rest", law_case);
  const Printed check = williwaw_in(folder, "check case.toml --json");
  CHECK(check.code == 3);
  const Json json(check.out);
  CHECK(json.number("/stability/largest_stable_step") == doctest::Approx(0.01));
  CHECK(json.number("/advection/courant_number") == doctest::Approx(3));
  CHECK(williwaw_in(folder, "run case.toml --set time.step=0.01 --quiet").code == 0);
  const Printed closed = williwaw_in(
      folder,
      "run case.toml --set time.step=0.004 --set initial.value=0.5 --set boundary.west={dirichlet=0.5} "
      "--set boundary.east=insulated -o closed --quiet");
  CHECK(closed.code == 3);
  CHECK(says(closed.error, "for which the next step would be beyond its limit"));
  CHECK(store::FieldReader(folder / "closed" / "fields.nc").times().back() > 0.1);
  const Printed told = williwaw_in(folder,
                                   "check case.toml --set time.step=0.004 --set initial.value=0.5 --set "
                                   "boundary.west={dirichlet=0.5} --set boundary.east=insulated");
  CHECK(says(told.out, "stable for u within -2.5 to 2.5; not known outside"));
  // Formulas whose speed is unbounded where values go.
  const Printed root = williwaw_in(folder, "check case.toml --set equation.flux=\"sqrt(u)\"");
  CHECK(root.code == 3);
  CHECK(says(root.out, "the speed df/du is unbounded within the data bounds 0 to 1"));
  CHECK(williwaw_in(folder, "check case.toml --set equation.flux=\"sqrt(u)\" --set time.step={courant=0.5}")
            .code == 2);
}

TEST_CASE("a blow-up leaves no report that calls the step stable") {
  const auto folder = folder_of("refuted", law_case);
  const Printed run = williwaw_in(
      folder,
      "run case.toml --set initial.value=\"sin(pi*x)\" --set "
      "'boundary={west=\"periodic\",east=\"periodic\"}' --set "
      "space.numerical_flux=central --set time.scheme=rk4 --set time.step=0.01 --set time.until=40 --force");
  CHECK(run.code == 3);
  const Json summary(text_of(folder / "case.out" / "summary.json"));
  CHECK(summary.at("/stability/verdict") == "\"refuted\"");
}

TEST_CASE("a step that cannot be solved ends the run with its time, its step and its records") {
  const auto folder = folder_of("unsolved", law_case);
  const Printed run = williwaw_in(
      folder,
      "run case.toml --set initial.value=\"sin(pi*x)\" --set "
      "'boundary={west=\"periodic\",east=\"periodic\"}' --set "
      "equation.reaction=\"u*u\" --set time.scheme=implicit-euler --set time.step=0.5 --set time.until=8 "
      "--set record.every=0.5");
  CHECK(run.code == 4);
  CHECK(says(run.error, "cannot be solved: "));
  CHECK(says(run.error, "take a shorter step"));
  CHECK(says(run.out, "all records up to here kept"));
  const store::FieldReader fields(folder / "case.out" / "fields.nc");
  const auto series = store::read_series(folder / "case.out" / "series.csv");
  CHECK(fields.times().back() == series.values[0].back());
  CHECK(std::isfinite(fields.field(static_cast<Index>(fields.times().size()) - 1).highest()));
}

TEST_CASE("a steady state that no run in time would reach is said to be unstable") {
  const auto folder = folder_of("growing", R"case(title = "Growing"
[grid]
x = { from = 0, to = 1, cells = 40 }
[equation]
kind = "diffusion"
diffusivity = 1
source = 1
reaction = "12*(u - 15)"
[initial]
value = 15
[boundary]
default = { dirichlet = 15 }
[steady]
)case");
  // 12 lies above π², the slowest decay of diffusion alone, and 9 below it.
  CHECK(says(williwaw_in(folder, "run case.toml").out, "UNSTABLE: 1 growing mode"));
  CHECK(says(williwaw_in(folder, "run case.toml --set equation.reaction=\"45*(u - 15)\"").out,
             "2 growing modes,"));
  CHECK(says(williwaw_in(folder, "run case.toml --set equation.reaction=\"9*(u - 15)\"").out,
             "stable: no growing mode"));
  CHECK(says(williwaw_in(folder, "run case.toml --set equation.reaction=\"-9*(u - 15)\"").out,
             "stable: no growing mode"));
}

TEST_CASE("compare and a run's own comparison are one definition, weighted by volume") {
  const auto folder = folder_of("norms", R"case(title = "Graded"
[grid]
x = { from = 0, to = 1, cells = 30, growth = 1.2 }
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = "sin(pi*x)"
[boundary]
default = { dirichlet = 0 }
[time]
until = 0.05
scheme = "crank-nicolson"
step = 0.01
[exact]
value = "exp(-pi^2*t)*sin(pi*x)"
)case");
  const Printed run = williwaw_in(folder, "run case.toml"),
                compared = williwaw_in(folder, "compare case.out exact");
  CHECK(says(compared.out, "weighted by volume"));
  const auto norms = [](const std::string& text) {
    const auto at = text.rfind("  at 0.05");
    const auto l1 = text.find("L1", at);
    return text.substr(l1, text.find('\n', l1) - l1);
  };
  CHECK(norms(run.out).size() > 30);
  CHECK(norms(run.out) == norms(compared.out));
}

TEST_CASE("velocity files are found beside the case, and must last as long as the run") {
  const auto folder = folder_of("flow", R"case(title = "Flow"
[grid]
x = { from = "0 m", to = "10 m", cells = 20 }
[equation]
kind = "transport"
velocity = { files = "flow-*.nc", variables = ["u"] }
[initial]
value = { formula = "x", unit = "1" }
[boundary]
west = { dirichlet = { formula = "0", unit = "1" } }
east = "outflow"
[time]
until = "2 h"
scheme = "ssprk3"
step = { courant = 0.5 }
)case");
  std::ofstream(folder / "flow.cdl") << R"cdl(netcdf flow {
dimensions: time = 2 ; x = 2 ;
variables: double time(time) ; time:units = "hours" ; double x(x) ; x:units = "m" ; float u(time, x) ; u:units = "m/s" ;
data: time = 0, 1 ; x = 0, 10 ; u = 0.001, 0.001, 0.002, 0.002 ;
})cdl";
  REQUIRE(std::system(
              ("ncgen -o '" + (folder / "flow-1.nc").string() + "' '" + (folder / "flow.cdl").string() + "'")
                  .c_str()) == 0);
  const Printed refused = williwaw_in(folder, "check case.toml");
  CHECK(refused.code == 2);
  CHECK(says(refused.error,
             "the files end at 60 min, before the run does at 2 h: give period, or after = \"hold\""));
  CHECK(williwaw_in(folder, "run case.toml --quiet --set time.until=\"1 h\"").code == 0);
  CHECK(williwaw_in(folder, "run case.toml --quiet --set equation.velocity.after=hold").code == 0);
  CHECK(williwaw_in(folder, "check case.toml --set equation.velocity.after=freeze").code == 2);
}

TEST_CASE("where no step is stable, neither the short form nor the remedy speak of a smaller one") {
  const auto folder = folder_of("no-step", R"case(title = "No step"
[grid]
x = { from = 0, to = 1, cells = 40 }
[boundary]
west = { dirichlet = 1 }
east = "outflow"
[equation]
kind = "transport"
velocity = [1]
diffusivity = 0
[initial]
value = 0
[space]
numerical_flux = "central"
[time]
until = 1
scheme = "explicit-euler"
step = 0.001
)case");
  const Printed p = williwaw_in(folder, "run case.toml -o out");
  CHECK(p.code == 3);
  CHECK(p.out.find("unstable at any step") != std::string::npos);
  CHECK(p.out.find("inf of") == std::string::npos);
  CHECK(p.error.find("Choose another scheme or flux, since no step is stable") != std::string::npos);
  CHECK(p.error.find("smaller step") == std::string::npos);
}
