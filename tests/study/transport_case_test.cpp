// EvaluatedAdvection and conservation laws as case files state them: velocities of every kind, fluxes by
// formulas, ends, what check says, and what a run leaves.
#include <doctest/doctest.h>

#include <cmath>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/store/series.hpp"
#include "williwaw/study/answer.hpp"
#include "williwaw/study/run.hpp"
#include "williwaw/williwaw.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;
using namespace williwaw::test;

namespace {

const std::string round_trip = R"case(title = "Round trip"
[grid]
x = { from = 0, to = 1, cells = 100 }
[equation]
kind = "transport"
velocity = 1
[initial]
value = "exp(-100*(x - 0.5)^2)"
[boundary]
default = "periodic"
[space]
reconstruction = "first-order"
[time]
until = 1
scheme = "ssprk3"
step = { courant = 0.4 }
[exact]
value = "initial"
)case";

const std::string plan_head = R"case(title = "A plan"
[grid]
x = { from = "0 m", to = "2 m", cells = 16 }
y = { from = "0 m", to = "1 m", cells = 8 }
[initial]
value = "1 g/m^3"
[boundary]
west = { dirichlet = "1 g/m^3" }
east = "outflow"
default = "insulated"
[time]
until = "1 s"
scheme = "ssprk3"
step = { courant = 0.4 }
[space]
reconstruction = "van-leer"
[equation]
kind = "transport"
diffusivity = "1e-3 m^2/s"
unknown = { name = "dye", unit = "g/m^3" }
)case";

std::string checked(const std::string& stated, const std::vector<std::string>& overrides = {}) {
  const Case c = read_case_text(stated, "case.toml", overrides);
  Prepared p = prepare(c);
  return check_report(c, p).text();
}

}  // namespace

TEST_CASE("every reconstruction, flux and scheme is one word, and better ones lose less on a round trip") {
  const auto error = [](const std::vector<std::string>& overrides) {
    const Answer a = answer(read_case_text(round_trip, "case.toml", overrides));
    CAPTURE(overrides.front());
    CHECK(a.reached);
    REQUIRE(a.errors.at(0));
    return a.errors[0]->l1;
  };
  const Real upwind = error({"space.reconstruction=first-order"});
  for (const char* name : {"minmod", "van-leer", "monotonized-central", "superbee", "third-order", "weno5"})
    CHECK(error({std::string("space.reconstruction=") + name}) < 0.5 * upwind);
  for (const char* name : {"engquist-osher", "local-lax-friedrichs", "lax-friedrichs"})
    CHECK(error({std::string("space.numerical_flux=") + name}) == doctest::Approx(upwind).epsilon(1e-9));
  CHECK(error({"space.numerical_flux=lax-wendroff", "time.scheme=explicit-euler"}) < 0.3 * upwind);
  CHECK(error({"time.scheme=semi-lagrangian", "time.step={ courant = 4.3 }"}) < 0.1 * upwind);
}

TEST_CASE("velocities come as numbers, formulas, stream functions and files") {
  CHECK(says(checked(plan_head + "velocity = [\"0.5 m/s\", \"0 m/s\"]\n"),
             "up to 0.5 m/s along x, 0 m/s along y"));
  CHECK(says(checked(plan_head + "velocity = { x = \"24*y/minute\", y = \"0 m/s\" }\n"),
             "velocity divergence     0 up to round-off"));
  CHECK(
      says(checked(plan_head +
                   "velocity = { stream_function = \"0.3*y + 0.1*sin(3*x)*sin(pi*y)\", unit = \"m^2/s\" }\n"),
           "velocity divergence     0 up to round-off"));
  const std::string squeezed =
      plan_head + "velocity = { x = { formula = \"1 - 0.3*x\", unit = \"m/s\" }, y = \"0 m/s\" }\n";
  CHECK(says(checked(squeezed), "-0.3 to 0 1/s"));
  CHECK(says(checked(squeezed), "the advected quantity accumulates"));
  CHECK(says(checked(plan_head + "velocity = { x = { formula = \"1 - 0.3*x\", unit = \"m/s\" }, y = \"0 "
                                 "m/s\", divergence_free = true }\n"),
             "divergence correction"));
  const Case dye = read_case(std::string(CASES) + "/dye-patch.toml");
  const Velocity& v = dye.problem.equation().advection->velocity;
  CHECK(v.instants.size() == 12);
  CHECK(v.period == doctest::Approx(12.42 * 3600));
  CHECK(v.divergence_free);
}

TEST_CASE("flux formulas are differentiated, and check tells their speed") {
  std::string law_text = round_trip;
  law_text.replace(law_text.find("kind = \"transport\"\nvelocity = 1"), 31,
                   "kind = \"conservation\"\nflux = \"u*(1 - u)\"");
  CHECK(says(checked(law_text), "with the speed 1"));
  const Case c = read_case_text(law_text, "case.toml", {"equation.flux=\"u^3/3\""});
  const FluxLaw& law = *c.problem.equation().advection->law;
  const Real u[] = {-1.0, 0.5, 2.0};
  Real f[3], a[3];
  law.flux(0, u, f);
  law.speed(0, u, a);
  for (int n = 0; n < 3; ++n) {
    CHECK(f[n] == doctest::Approx(u[n] * u[n] * u[n] / 3));
    CHECK(a[n] == doctest::Approx(u[n] * u[n]));
  }
  CHECK(answer(read_case_text(law_text, "case.toml", {"time.until=0.2"})).reached);
}

TEST_CASE("check names what the scheme does: wiggles, numerical diffusion, outlets under backflow") {
  CHECK(says(checked(round_trip), "physical diffusivity 0"));
  CHECK(says(checked(round_trip, {"equation.diffusivity=0.001", "space.numerical_flux=central"}),
             "oscillations"));
  CHECK(says(
      checked(round_trip, {"space.numerical_flux=central", "time.scheme=explicit-euler", "time.step=0.001"}),
      "unstable at any step"));
  const std::string tide =
      checked(plan_head + "velocity = [{ formula = \"0.5*cos(2*pi*t)\", unit = \"m/s\" }, \"0 m/s\"]\n");
  CHECK(says(tide, "backflow, east"));
  CHECK(says(tide, "extrapolated from inside, unbounded"));
  const std::string stated =
      checked(plan_head + "velocity = [{ formula = \"0.5*cos(2*pi*t)\", unit = \"m/s\" }, \"0 m/s\"]\n",
              {"boundary.east={ outflow = { backflow = \"0 g/m^3\" } }"});
  CHECK(says(stated, "inflow value prescribed"));
  CHECK(!says(stated, "nothing bounds"));
}

TEST_CASE(
    "a run leaves variation, squares and extrema in its series, velocities in its fields, losses at its "
    "end") {
  const auto folder = fresh_folder("carried");
  const Case c = read_case_text(round_trip, "case.toml", {"space.reconstruction=\"van-leer\""});
  Prepared p = prepare(c);
  RunOptions options;
  options.folder = folder / "out";
  const RunResult result = run_case(c, p, options);
  const std::string closing = result.closing.text();
  CHECK(says(closing, "peak of the pulse"));
  CHECK(says(closing, "width of the pulse, x"));
  CHECK(says(closing, "overshoot beyond the data range"));
  const store::Series s = store::read_series(folder / "out" / "series.csv");
  REQUIRE(s.find("total variation"));
  REQUIRE(s.find("extrema"));
  const auto& variation = s.values[*s.find("total variation")];
  for (std::size_t n = 1; n < variation.size(); ++n) CHECK(variation[n] <= variation[n - 1] + 1e-12);
  CHECK(variation.front() == doctest::Approx(2).epsilon(0.01));
  const store::FieldReader fields(folder / "out" / "fields.nc");
  const auto velocity = fields.velocity(0);
  REQUIRE(velocity);
  CHECK((*velocity)[0][17] == doctest::Approx(1));
}

TEST_CASE("steady states of the advected quantity: schemes by one word, low and high cell Peclet numbers") {
  const std::string layer_text = R"case(title = "Layer"
[grid]
unknowns = "nodes"
x = { from = 0, to = 1, nodes = 21 }
[equation]
kind = "transport"
velocity = 1
diffusivity = 0.01
[initial]
value = 0
[boundary]
west = { dirichlet = 0 }
east = { dirichlet = 1 }
[exact]
value = "(exp((x - 1)/0.01) - exp(-1/0.01))/(1 - exp(-1/0.01))"
[steady]
)case";
  const auto error = [&](const char* flux) {
    const Answer a = answer(read_case_text(layer_text, "case.toml",
                                           {std::string("space={ numerical_flux = \"") + flux + "\" }"}));
    REQUIRE(a.errors.at(0));
    return a.errors[0]->max;
  };
  CHECK(error("power-law") < 0.01);
  CHECK(error("hybrid") < 0.01);
  CHECK(error("upwind") > 0.1);
  CHECK(error("central") > 0.3);
  CHECK(says(checked(layer_text, {"space={ numerical_flux = \"central\" }"}), "oscillations"));
}

TEST_CASE("noise is the same field on a finer grid") {
  const std::string noisy = "initial={ value = { noise = { amplitude = 1, length = 0.1, seed = 3 } } }";
  const Case coarse = read_case_text(round_trip, "case.toml", {noisy}),
             fine =
                 read_case_text(round_trip, "case.toml", {noisy, "grid.x={ from = 0, to = 1, cells = 300 }"});
  for (const Real x : {0.013, 0.4, 0.77})
    CHECK(coarse.problem.initial(Point{x, 0, 0}) == doctest::Approx(fine.problem.initial(Point{x, 0, 0})));
}

TEST_CASE(
    "limited first-order waves between reflecting ends stay as large as they were, within what check names") {
  const std::string written =
      "[grid]\nx = { from = 0, to = 1, cells = 80 }\n[equation]\nkind = \"wave\"\nspeed = 1\nform = "
      "\"first-order\"\n[initial]\nvalue = \"exp(-((x-0.5)/0.1)^2)\"\n[boundary]\ndefault = \"fixed\"\n"
      "[space]\nreconstruction = \"superbee\"\n[time]\nuntil = 40\nscheme = \"ssprk3\"\nstep = { courant = "
      "0.4 }\n";
  const Answer end = answer(read_case_text(written, "waves.toml"));
  REQUIRE(end.reached);
  CHECK(std::max(end.fields.at(0).highest(), -end.fields.at(0).lowest()) < 1.05);
  const auto warned = [&](const std::string& courant) {
    const Case given = read_case_text(written, "waves.toml", {"time.step={courant=" + courant + "}"});
    Prepared prepared = prepare(given);
    return check_report(given, prepared).text().find("beyond it the energy may grow") != std::string::npos;
  };
  CHECK_FALSE(warned("0.5"));
  CHECK(warned("0.6"));
}
