// Coefficients of the unknown from case files to results.
#include <doctest/doctest.h>

#include <cmath>

#include "support/json.hpp"
#include "support/marching.hpp"
#include "support/program.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// A steady k(u) = 1 + u/10 between 0 and 10: u + u²/20 is linear, from 0 to 15.
const char* const kirchhoff_slab = R"(
[grid]
x = { from = 0, to = 1, cells = 8 }
[equation]
kind = "diffusion"
diffusivity = "1 + u/10"
[initial]
value = 5
[boundary]
west = { dirichlet = 0 }
east = { dirichlet = 10 }
[steady]
)";

}  // namespace

TEST_CASE("a conductivity that depends on u is exact at any resolution by its integral, and check says so") {
  const auto folder = folder_of("kirchhoff", kirchhoff_slab);
  CHECK(williwaw_in(folder, "check case.toml").out.find("integral over u between both unknowns") !=
        std::string::npos);
  REQUIRE(williwaw_in(folder, "run case.toml").code == 0);
  const store::FieldReader fields(folder / "case.out" / "fields.nc");
  const Field u = fields.field(0);
  for (Index i = 0; i < 8; ++i) {
    const Real x = (static_cast<Real>(i) + 0.5) / 8;
    CHECK(u[i] == doctest::Approx(-10 + std::sqrt(100 + 300 * x)).epsilon(1e-9));
  }
  // Other means are not.
  REQUIRE(williwaw_in(folder, "run case.toml --force --set space.face_mean=upstream").code == 0);
  const store::FieldReader other(folder / "case.out" / "fields.nc");
  CHECK(std::abs(other.field(0)[0] - u[0]) > 1e-4);
}

TEST_CASE("a column of snow goes through its stages: fields of content and total head, a closed budget" *
          doctest::skip(instrumented)) {
  const auto folder = fresh_folder("snowpack");
  REQUIRE(williwaw_in(folder, "demo snowpack").code == 0);
  const auto run = folder / "snowpack.out";
  const store::FieldReader head(run / "fields.nc");
  CHECK(head.unknowns() == std::vector<std::string>{"head", "content", "total-head", "flux.z"});
  const store::FieldReader content(run / "fields.nc", "content"), total(run / "fields.nc", "total-head");
  for (const Index record : {Index{0}, static_cast<Index>(head.times().size()) - 1}) {
    const Field u = head.field(record), theta = content.field(record), h = total.field(record);
    for (Index n = 0; n < u.size(); ++n) {
      CHECK(h[n] == doctest::Approx(u[n] + u.grid().point_of(n).z));
      CHECK(theta[n] > 0.009);
      CHECK(theta[n] < 0.551);
    }
  }
  const auto series = store::read_series(run / "series.csv");
  const auto column = [&](const char* name) { return series.values[*series.find(name)]; };
  const auto stored = column("total"), rain = column("amount top: rain"),
             seepage = column("amount bottom: seepage");
  const std::size_t last = stored.size() - 1;
  CHECK(stored[last] - stored[0] == doctest::Approx(rain[last] + seepage[last]).epsilon(1e-10));
  CHECK(rain[last] == doctest::Approx(0.24));
  // What falls goes down through the top: 0.24 m in a day.
  const store::FieldReader flux(run / "fields.nc", "flux.z");
  CHECK(flux.description().value.unit == "m/s");
  const Field at_end = flux.field(static_cast<Index>(head.times().size()) - 1);
  CHECK(at_end.sample({0, 0, head.grid().axis(0).to()}) == doctest::Approx(-0.24 / 86400));
  CHECK(at_end.sample({0, 0, head.grid().axis(0).from()}) ==
        doctest::Approx(column("flow bottom: seepage")[last]).epsilon(1e-6));
  CHECK(seepage[last] < -0.01);
  CHECK(std::abs(column("budget residual")[last]) < 1e-12);
}

TEST_CASE("runs with coefficients of u are the same for any number of threads, and after an interruption" *
          doctest::skip(instrumented)) {
  const auto folder = fresh_folder("nonlinear-bits");
  std::filesystem::copy(std::string(CASES) + "/ice-lens.toml", folder / "case.toml");
  const std::string smaller =
      " --set grid.x.cells=24 --set grid.z.cells=24 --set time.until='4 day' --set figure=[] --quiet";
  REQUIRE(williwaw_in(folder, "run case.toml -o one --threads 1" + smaller).code == 0);
  REQUIRE(williwaw_in(folder, "run case.toml -o two --threads 2" + smaller).code == 0);
  for (const char* file : {"fields.nc", "series.csv"})
    CHECK(text_of(folder / "one" / file) == text_of(folder / "two" / file));
  const auto series = store::read_series(folder / "one" / "series.csv");
  const auto frozen = series.values[*series.find("frozen")];
  CHECK(frozen.back() > frozen.front());
  CHECK(std::ranges::is_sorted(frozen));
  CHECK(std::abs(series.values[*series.find("budget residual")].back()) < 1e-12);
}

TEST_CASE(
    "explicit steps of a case are refused beyond the limit over all values, and where soil is saturated") {
  const auto folder = folder_of("nonlinear-limits", R"(
[grid]
x = { from = 0, to = 1, cells = 20 }
[equation]
kind = "diffusion"
diffusivity = "1 + u"
[initial]
value = 0
[boundary]
west = { dirichlet = 3 }
east = "insulated"
[time]
until = 0.05
scheme = "explicit-euler"
step = { of_limit = 0.99 }
)");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet").code == 0);
  // 4 is the largest diffusivity: h²/(2·4), which the ends of the rod hardly change.
  const Printed told = williwaw_in(folder, "check case.toml --json");
  const Json check(told.out);
  const Real limit = check.number("/stability/largest_stable_step");
  CHECK(limit < 1.01 * 0.05 * 0.05 / 8);
  CHECK(limit > 0.7 * 0.05 * 0.05 / 8);
  CHECK(williwaw_in(folder, "run case.toml --set time.step=0.0005").code == 3);
}

TEST_CASE(
    "manufactured solutions take the derivatives of coefficients, contents and exchanges that depend on u") {
  const auto folder = folder_of("manufactured-of-u", R"case(
[grid]
x = { from = 0, to = 1, cells = 20 }
[equation]
kind = "diffusion"
diffusivity = "1 + u^2"
[initial]
value = 1
[boundary]
west = { dirichlet = 1 }
east = { flux = 1 }
[time]
until = 0.1
scheme = "crank-nicolson"
step = 0.01
[exact]
value = "1 + exp(-t)*sin(2*x)"
manufactured = true
)case");
  for (const char* change : {"", " --set equation.content='u + u^3'",
                             " --set boundary.east='{ robin = { coefficient = \"1 + u\", ambient = 1 } }'"}) {
    CAPTURE(change);
    const Printed run =
        williwaw_in(folder, std::string("converge case.toml --set converge.levels=3") + change);
    CHECK(run.code == 0);
    CHECK(run.out.find("error L2: the asymptotic range is reached") != std::string::npos);
    // The mean of the exact solution: 1 + exp(−0.1)·(1 − cos 2)/2.
    const auto mean = run.out.find("mean  ");
    REQUIRE(mean != std::string::npos);
    CHECK(run.out.substr(mean, 160).find("1.6406") != std::string::npos);
  }
}

TEST_CASE("a flux that a figure or a probe names is recorded, shown and drawn in its unit") {
  const auto folder = folder_of("quay", R"case(title = "Layers of a quay"
[grid]
x = { from = "0 m", to = "1 m", cells = 20 }
y = { from = "0 m", to = "0.5 m", cells = 6 }
[region.stone]
where = "x > 0.4"
[equation]
kind = "heat"
density = "2000 kg/m^3"
heat_capacity = "800 J/kg/K"
[equation.conductivity]
default = "2 W/m/K"
stone = "0.5 W/m/K"
[initial]
value = "5 degC"
[boundary]
west = { dirichlet = "10 degC" }
east = { robin = { coefficient = "4 W/m^2/K", ambient = "0 degC" } }
default = "insulated"
[steady]
[[probe]]
name = "through"
of = "flux.x"
at = ["0.7 m", "0.2 m"]
[[figure]]
kind = "map"
of = "flux.x"
range = ["0 W/m^2", "10 W/m^2"]
)case");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  CHECK(std::filesystem::exists(folder / "out" / "figures" / "map-flux-x.png"));
  const auto series = store::read_series(folder / "out" / "series.csv");
  const auto through = series.find("flux.x: through");
  REQUIRE(through.has_value());
  CHECK(series.columns[*through].unit == "W/m^2");
  CHECK(series.values[*through].back() == doctest::Approx(10 / (0.4 / 2 + 0.6 / 0.5 + 1.0 / 4)));
  // Nothing asks for the other one.
  CHECK_THROWS_AS(store::FieldReader(folder / "out" / "fields.nc", "flux.y"), store::UnknownName);
  const Printed lost =
      williwaw_in(folder, "check case.toml --set 'probe=[{name=\"a\",of=\"flux.q\",at=[0,0]}]'");
  CHECK(lost.code == 2);
  CHECK(lost.error.find("flux.q") != std::string::npos);
}
