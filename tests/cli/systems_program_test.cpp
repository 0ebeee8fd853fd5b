// Several unknowns, as users of the program meet them.
#include <doctest/doctest.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <map>
#include <sstream>

#include "support/json.hpp"
#include "support/marching.hpp"
#include "support/program.hpp"
#include "support/series.hpp"
#include "williwaw/store/fields.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

const std::string exchange = R"case(title = "Two tanks of salt that exchange"
[constants]
exchange = "2 1/h"
[grid]
x = { from = "0 m", to = "2 m", cells = 12 }
[equation]
kind = "system"
[equation.unknowns.upper]
unit = "g/l"
diffusivity = "1 m^2/h"
reaction = "exchange*(lower - upper)"
[equation.unknowns.lower]
unit = "kg/m^3"
diffusivity = "0.5 m^2/h"
storage = 3
reaction = "exchange*(upper - lower)"
[initial.upper]
value = "5 g/l"
[initial.lower]
value = { formula = "1 + cos(pi*x/2)", unit = "kg/m^3" }
[boundary]
west = { upper = { flux = "2 kg/m^2/h" }, lower = "insulated" }
east = "insulated"
[time]
until = "1 h"
scheme = "crank-nicolson"
step = "1 min"
[record]
every = "30 min"
series = "10 min"
[[probe]]
name = "gauge"
at = ["1.5 m"]
of = "lower"
)case";

// Four digits.
std::string fmt_of(Real v) {
  std::string text(32, '\0');
  text.resize(static_cast<std::size_t>(std::snprintf(text.data(), text.size(), "%.4g", v)));
  return text;
}

}  // namespace

TEST_CASE("a system runs from its case to a record, a unit, a column and a budget for each unknown") {
  const auto folder = folder_of("exchange", exchange);
  const Printed check = williwaw_in(folder, "check case.toml --json");
  REQUIRE(check.code == 0);
  const Json told(check.out);
  CHECK(told.at("/equation/kind").find("system of 2 unknowns") != std::string::npos);
  CHECK(told.at("/equation/form_of_lower")
            .find("storage·dlower/dt = ∇·(diffusivity ∇lower) + reaction(upper, lower)") !=
        std::string::npos);
  CHECK(told.at("/boundaries/west_upper").find("2 kg/m^2/h") != std::string::npos);
  CHECK(told.at("/boundaries/east").find("insulated") != std::string::npos);
  const Printed run = williwaw_in(folder, "run case.toml --json -o out");
  REQUIRE(run.code == 0);
  const Json ended(run.out);
  CHECK(ended.number("/budget_of_upper/relative_residual") < 1e-12);
  CHECK(ended.number("/budget_of_lower/relative_residual") < 1e-12);
  // Amounts are in kg/m², and the means of both follow from two equations, shown in g/l and kg/m³.
  // a' = 2·(b − a) + 1, 3b' = 2·(a − b), a(0) = 5, b(0) = 1 in kg/m³ and hours.
  const Real lambda = 2 + 2.0 / 3, sum = 5 + 3 * 1 + 1;
  const Real settled = 0.75 / 2 * 0.5 * 2;  // of a − b, where it changes no more: 2.6667·d = 1
  const Real difference = 1 / lambda + (4 - 1 / lambda) * std::exp(-lambda);
  CHECK(settled == doctest::Approx(0.375));
  CHECK(last_of(folder / "out", "upper: mean") == doctest::Approx(sum / 4 + 0.75 * difference).epsilon(1e-4));
  CHECK(last_of(folder / "out", "lower: mean") == doctest::Approx(sum / 4 - 0.25 * difference).epsilon(1e-4));
  CHECK(last_of(folder / "out", "lower: total") ==
        doctest::Approx(3 * 2 * last_of(folder / "out", "lower: mean")));
  CHECK(last_of(folder / "out", "amount upper west: flux") == doctest::Approx(2.0));
  const store::FieldReader lower(folder / "out" / "fields.nc", "lower");
  CHECK(lower.description().value.unit == "kg/m^3");
  CHECK(last_of(folder / "out", "lower: gauge") ==
        doctest::Approx(lower.field(2).sample({1.5, 0, 0})).epsilon(1e-6));
  for (const char* set : {"", "--set time.scheme=sdirk4", "--set time.scheme=implicit-explicit",
                          "--set 'time.step={adaptive=1e-7}' --set time.scheme=rk45"}) {
    CAPTURE(set);
    REQUIRE(williwaw_in(folder, "run case.toml --quiet -o other " + std::string(set)).code == 0);
    CHECK(last_of(folder / "other", "lower: mean") ==
          doctest::Approx(last_of(folder / "out", "lower: mean")).epsilon(2e-3));
    CHECK(last_of(folder / "other", "lower: budget residual") < 1e-12);
    std::filesystem::remove_all(folder / "other");
  }
}

TEST_CASE("runs of several unknowns are the same on any number of threads, and after an interruption" *
          doctest::skip(test::instrumented)) {
  const auto folder = fresh_folder("several");
  for (const char* name : {"drift-ice", "gusts"}) {
    CAPTURE(name);
    const std::string common =
        "run '" + std::string(CASES) + "/" + name +
        ".toml' --quiet --set 'figure=[]' --set grid.x.cells=40 --set grid.y.cells=25 --set " +
        (std::string(name) == "gusts" ? "'time.until=\"4 min\"' " : "'time.until=\"20 day\"' ");
    REQUIRE(williwaw_in(folder, common + "--threads 1 -o one").code == 0);
    REQUIRE(williwaw_in(folder, common + "--threads 2 -o two").code == 0);
    CHECK(text_of(folder / "one" / "series.csv") == text_of(folder / "two" / "series.csv"));
    const std::string cut = "cd '" + folder.string() + "' && timeout -s INT 0.15 '" + PROGRAM + "' " +
                            common + "--checkpoint 0 --resume -o parts >/dev/null 2>&1";
    for (int n = 0; n < 2; ++n) static_cast<void>(std::system(cut.c_str()));
    REQUIRE(williwaw_in(folder, common + "--resume -o parts").code == 0);
    CHECK(text_of(folder / "one" / "series.csv") == text_of(folder / "parts" / "series.csv"));
    for (const char* f : {"one", "two", "parts"}) std::filesystem::remove_all(folder / f);
  }
}

TEST_CASE("drift ice gathers into floes about as far apart as check tells beforehand" *
          doctest::skip(test::instrumented)) {
  const Printed check = williwaw_in(CASES, "check drift-ice.toml --json");
  REQUIRE(check.code == 0);
  const Json told(check.out);
  // By hand: J = rate·(0.8, 1; −1.8, −1), D = (0.5, 20) m²/s; the largest growth of J − k²D over k.
  const Real rate = 0.5 / 86400;
  Real best = 0, at = 0;
  for (Real k = 1e-4; k < 5e-3; k *= 1.0005) {
    const Real p = 0.8 * rate - 0.5 * k * k, q = -rate - 20 * k * k, trace = p + q,
               det = p * q + 1.8 * rate * rate, square = 0.25 * trace * trace - det;
    const Real growth = 0.5 * trace + (square > 0 ? std::sqrt(square) : 0);
    if (growth > best) {
      best = growth;
      at = k;
    }
  }
  CHECK(told.number("/uniform_state/fastest_wavelength/value") ==
        doctest::Approx(2 * M_PI / at / 1000).epsilon(2e-3));
  CHECK(told.number("/uniform_state/fastest_growth/value") == doctest::Approx(best * 86400).epsilon(1e-3));
  if (instrumented) return;
  const auto folder = fresh_folder("drift");
  std::filesystem::copy(std::string(CASES) + "/drift-ice.toml", folder / "case.toml");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet --set 'figure=[]' -o out").code == 0);
  // Places that are higher than all around them: one to a square of the distance, but for a hexagonal order.
  const store::FieldReader ice(folder / "out" / "fields.nc", "ice");
  const Field end = ice.field(static_cast<Index>(ice.times().size()) - 1);
  const Grid& g = ice.grid();
  int floes = 0;
  for (Index j = 0; j < g.size(1); ++j)
    for (Index i = 0; i < g.size(0); ++i) {
      bool top = end.at(i, j) > 2;
      for (Index b = -1; b <= 1; ++b)
        for (Index a = -1; a <= 1; ++a) {
          const bool inside = i + a >= 0 && i + a < g.size(0) && j + b >= 0 && j + b < g.size(1);
          if ((a != 0 || b != 0) && inside) top = top && end.at(i, j) >= end.at(i + a, j + b);
        }
      floes += top ? 1 : 0;
    }
  const Real spacing = std::sqrt(24 * 15 / static_cast<Real>(floes) * 2 / std::sqrt(3.0));
  CHECK(spacing == doctest::Approx(2 * M_PI / at / 1000).epsilon(0.15));
}

TEST_CASE("gusts: a vector by its magnitude, divergence and rotation, in figures and from the file") {
  const auto folder = fresh_folder("gusts");
  std::filesystem::copy(std::string(CASES) + "/gusts.toml", folder / "case.toml");
  REQUIRE(
      williwaw_in(folder, "run case.toml --quiet --set grid.x.cells=48 --set grid.y.cells=30 -o out").code ==
      0);
  for (const char* file : {"arrows-wind.png", "map-wind-divergence.png", "series.png"})
    CHECK(std::filesystem::file_size(folder / "out" / "figures" / file) > 5000);
  const auto nc = folder / "out" / "fields.nc";
  const store::FieldReader u(nc, "u"), v(nc, "v"), wind(nc, "wind"), divergence(nc, "wind.divergence"),
      rotation(nc, "wind.rotation");
  CHECK(divergence.description().value.unit == "1/s");
  CHECK(wind.description().value.unit == "m/s");
  const Field fu = u.field(3), fv = v.field(3), speed = wind.field(3), spread = divergence.field(3),
              turn = rotation.field(3);
  // 250 m between unknowns.
  for (const auto& [i, j] : {std::pair{5, 7}, {0, 3}, {47, 29}}) {
    CHECK(speed.at(i, j) == doctest::Approx(std::hypot(fu.at(i, j), fv.at(i, j))));
    const Index west = (i + 47) % 48, east = (i + 1) % 48, south = (j + 29) % 30, north = (j + 1) % 30;
    CHECK(spread.at(i, j) ==
          doctest::Approx((fu.at(east, j) - fu.at(west, j) + fv.at(i, north) - fv.at(i, south)) / 500));
    CHECK(turn.at(i, j) ==
          doctest::Approx((fv.at(east, j) - fv.at(west, j) - fu.at(i, north) + fu.at(i, south)) / 500));
  }
  CHECK_THROWS_AS(store::FieldReader(nc, "wind.curl"), store::UnknownName);
  REQUIRE(williwaw_in(folder, "plot out map --of wind.rotation").code == 0);
  CHECK(std::filesystem::exists(folder / "out" / "figures" / "map-wind-rotation.png"));
  REQUIRE(williwaw_in(folder, "export out --to csv").code == 0);
  CHECK(williwaw_in(folder, "plot out arrows").code != 0);
}

TEST_CASE("a dam breaks and sound runs, both by formulas alone") {
  const auto folder = folder_of("dam", R"case(title = "A dam breaks in the sound's canal"
[constants]
g = "9.81 m/s^2"
[grid]
x = { from = "-50 m", to = "50 m", cells = 400 }
[equation]
kind = "system"
[equation.unknowns.h]
unit = "m"
flux = { x = "q" }
[equation.unknowns.q]
unit = "m^2/s"
flux = { x = "q^2/h + g*h^2/2" }
[initial.h]
value = { formula = "x < 0 ? 2 : 0.5", unit = "m" }
[initial.q]
value = "0 m^2/s"
[boundary]
default = "outflow"
[space]
reconstruction = "van-leer"
[time]
until = "6 s"
scheme = "ssprk3"
step = { courant = 0.25 }
[record]
every = "3 s"
)case");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  const store::FieldReader h(folder / "out" / "fields.nc", "h");
  // Stoker (1957), for 2 m and 0.5 m: 1.1035 m behind a shock of 4.1663 m/s (by bisection elsewhere).
  CHECK(h.field(2).sample({10, 0, 0}) == doctest::Approx(1.1035).epsilon(3e-3));
  CHECK(h.field(2).sample({23.5, 0, 0}) > 1);
  CHECK(h.field(2).sample({26.5, 0, 0}) < 0.6);
  // Depth falls from 2 to 0.5 m and nothing else; the unknowns by themselves swing behind the shock, waves of
  // one speed each do not.
  const auto variation = [&](const std::string& run) {
    const store::FieldReader reader(folder / run / "fields.nc", "h");
    const Field end = reader.field(2);
    Real sum = 0;
    for (Index i = 0; i + 1 < 400; ++i) sum += std::abs(end.at(i + 1) - end.at(i));
    return sum;
  };
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o waves --set space.variables=characteristic").code ==
          0);
  CHECK(variation("waves") == doctest::Approx(1.5).epsilon(1e-9));
  CHECK(variation("out") > 1.502);
  const store::FieldReader of_waves(folder / "waves" / "fields.nc", "h");
  CHECK(of_waves.field(2).sample({10, 0, 0}) == doctest::Approx(1.1035).epsilon(3e-3));
  CHECK(of_waves.field(2).sample({23.5, 0, 0}) > 1);
  const Printed check = williwaw_in(folder, "check case.toml --json");
  // √(g·h) and 0.25 m.
  CHECK(Json(check.out).number("/stability/courant_number") == doctest::Approx(0.25).epsilon(0.02));
  // A flux without real speeds.
  const Printed lost = williwaw_in(folder,
                                   "check case.toml --set 'equation.unknowns.q.flux={x=\"q^2/h - g*h^2/2\"}' "
                                   "--set time.step='\"0.01 s\"'");
  CHECK(lost.out.find("UNSTABLE") != std::string::npos);
}

TEST_CASE("stages and further cases of several unknowns begin with what each of them was") {
  // Two halves of an hour, in one stage, in two, and in a case that goes on from another one.
  const auto folder = folder_of("stages", exchange);
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o whole").code == 0);
  std::string halved = exchange;
  halved.replace(halved.find("until = \"1 h\""), 13, "until = \"30 min\"");
  std::ofstream(folder / "first.toml") << halved;
  std::ofstream(folder / "staged.toml")
      << halved << "[[stage]]\ntitle = \"goes on\"\ntime.lasts = \"30 min\"\n";
  REQUIRE(williwaw_in(folder, "run staged.toml --quiet -o stages").code == 0);
  REQUIRE(williwaw_in(folder, "run first.toml --quiet -o first").code == 0);
  REQUIRE(williwaw_in(folder,
                      "run first.toml --quiet -o second --set 'initial.upper.value={from=\"first\"}' --set "
                      "'initial.lower.value={from=\"first\"}'")
              .code == 0);
  for (const char* name : {"upper: mean", "lower: mean", "lower: gauge", "lower: maximum"}) {
    CAPTURE(name);
    for (const char* other : {"stages", "second"})
      CHECK(last_of(folder / other, name) == doctest::Approx(last_of(folder / "whole", name)).epsilon(1e-9));
  }
  const Printed stranger = williwaw_in(folder,
                                       "check first.toml --set 'boundary.west=\"insulated\"' --set "
                                       "'equation.unknowns.middle={unit=\"g/l\"}' --set "
                                       "'initial.middle.value={from=\"first\"}'");
  CHECK(stranger.code == 2);
  CHECK(stranger.error.find("has no unknown 'middle'; it has 'upper', 'lower'") != std::string::npos);
}

TEST_CASE("unknowns that cross follow manufactured solutions at order two, each told by itself" *
          doctest::skip(test::instrumented)) {
  const auto folder = folder_of("cross", R"case(title = "Drawn to each other"
[grid]
x = { from = 0, to = 1, cells = 12 }
y = { from = 0, to = 0.5, cells = 6 }
[equation]
kind = "system"
[equation.unknowns.a]
diffusivity = 0.1
cross_diffusivity = { b = "-0.05*a*(1 + x)" }
reaction = "a*(1 - a) - 0.5*a*b"
[equation.unknowns.b]
diffusivity = "0.08 + 0.02*b"
cross_diffusivity = { a = 0.03 }
reaction = "0.5*a*b - b"
[exact.a]
value = "1 + 0.3*sin(2*x + y + t)"
manufactured = true
[exact.b]
value = "0.8 + 0.2*cos(x - 2*y)*exp(-t)"
manufactured = true
[boundary]
west = { dirichlet = 0 }
east = { flux = 0 }
south = { a = { dirichlet = 0 }, b = { dirichlet = 0 } }
north = { flux = 0 }
[time]
until = 0.5
scheme = "crank-nicolson"
step = 0.025
[converge]
levels = 3
step_power = 1
[[probe]]
name = "buoy"
at = [0.3, 0.2]
)case");
  const Printed refined = williwaw_in(folder, "converge case.toml --json");
  REQUIRE(refined.code == 0);
  const Json json(refined.out);
  for (const char* name : {"a_error_l1", "a_error_l2", "b_error_l1", "b_error_l2"}) {
    CAPTURE(name);
    CHECK(json.number(std::string("/") + name + "/orders") == doctest::Approx(2).epsilon(0.03));
  }
  CHECK(json.number("/a_error_l2/level_3") < 2e-5);
  CHECK(json.number("/b_mean/uncertainty") < 1e-4);
  const Printed run = williwaw_in(folder, "run case.toml -o out");
  CHECK(run.code == 0);
  CHECK(last_of(folder / "out", "a: budget residual") < 1e-12);
  CHECK(last_of(folder / "out", "b: budget residual") < 1e-12);
  const Printed swept = williwaw_in(folder, "sweep case.toml --vary time.scheme=crank-nicolson,bdf2");
  CHECK(swept.code == 0);
  CHECK(swept.out.find("b: error maximum") != std::string::npos);
  CHECK(std::filesystem::exists(folder / "case.sweep" / "series.png"));
}

TEST_CASE("systems are refined, and swept with a column for each of their unknowns") {
  const auto folder = folder_of("refined", exchange);
  const Printed refined = williwaw_in(folder, "converge case.toml --set converge.levels=3");
  REQUIRE(refined.code == 0);
  for (const char* name : {"upper: change L1 [g/l]", "lower: change L1 [kg/m^3]", "lower: mean"})
    CHECK(refined.out.find(name) != std::string::npos);
  const Printed swept = williwaw_in(folder, "sweep case.toml --vary time.step='30 s','1 min'");
  REQUIRE(swept.code == 0);
  CHECK(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  for (const char* name : {"upper: mean", "lower: mean", "lower: maximum"}) {
    CHECK(swept.out.find(name) != std::string::npos);
    CHECK(swept.out.find(fmt_of(last_of(folder / "out", name))) != std::string::npos);
  }
}

TEST_CASE("what flows through the faces of each unknown's boundaries adds up to what its budget books") {
  const auto folder = folder_of("faces", R"case(title = "Wind that carries salt and itself"
[grid]
x = { from = 0, to = 1, cells = 10 }
y = { from = 0, to = 1, cells = 8 }
[equation]
kind = "system"
velocity = ["u", 0]
form = "conservative"
[equation.unknowns.u]
diffusivity = 0.05
[equation.unknowns.s]
diffusivity = 0.02
cross_diffusivity = { u = "0.01*s" }
[initial.u]
value = "1 + 0.2*y"
[initial.s]
value = "2 - x"
[boundary]
west = { u = { dirichlet = "1 + 0.1*y" }, s = { dirichlet = "2 + y" } }
default = { dirichlet = 1 }
[time]
until = 0.2
scheme = "rk2"
step = 0.002
)case");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  for (const std::string name : {"u", "s"}) {
    const auto file = folder / "out" / (name == "u" ? "boundaries.csv" : "boundaries-s.csv");
    std::ifstream in(file);
    std::string line, cell;
    std::map<std::string, Real> sums;
    std::getline(in, line);
    CHECK(line.find(name + " on the boundary") != std::string::npos);
    while (std::getline(in, line)) {
      std::stringstream cells(line);
      std::vector<std::string> parts;
      while (std::getline(cells, cell, ',')) parts.push_back(cell);
      sums[parts.at(0)] += std::stod(parts.at(3)) * std::stod(parts.at(4));
    }
    CHECK(sums.size() == 4);
    for (const auto& [side, sum] : sums) {
      CHECK(sum == doctest::Approx(last_of(folder / "out", "flow " + name + " " + side + ": dirichlet"))
                       .epsilon(1e-6));
    }
  }
  CHECK(williwaw_in(folder, "plot out boundary --of 's west' -o there.png").code == 0);
  CHECK(std::filesystem::exists(folder / "there.png"));
}

TEST_CASE("systems that are not hyperbolic, and reactions that are no numbers, are told by place and name") {
  const auto folder = folder_of("not-hyperbolic", R"case(
[grid]
x = { from = 0, to = 1, cells = 8 }
[equation]
kind = "system"
[equation.unknowns.h]
flux = { x = "q" }
REACTION
[equation.unknowns.q]
flux = { x = "0.5*h^2 - h" }
[initial.h]
value = "START + x"
[initial.q]
value = 0
[boundary]
default = "outflow"
[time]
until = 0.1
scheme = "ssprk3"
step = 0.001
[record]
every = 0.02
)case");
  std::ifstream in(folder / "case.toml");
  const std::string text((std::istreambuf_iterator<char>(in)), {});
  const auto write = [&](const std::string& reaction, const std::string& start) {
    std::string own = text;
    own.replace(own.find("REACTION"), 8, reaction);
    own.replace(own.find("START"), 5, start);
    std::ofstream(folder / "case.toml") << own;
  };
  // Speeds are ±√(h − 1).
  write("", "0.5");
  const Printed lost = williwaw_in(folder, "check case.toml");
  CHECK(lost.code == 3);
  CHECK(lost.out.find("along x     not known: the system is not hyperbolic") != std::string::npos);
  CHECK(lost.out.find("eigenvalues that are not real at x = 0.0625") != std::string::npos);
  CHECK(williwaw_in(folder, "run case.toml").error.find("is not hyperbolic at x = 0.0625") !=
        std::string::npos);
  write("", "2");
  const Json json(williwaw_in(folder, "check case.toml --json").out);
  CHECK(json.number("/speeds/along_x") == doctest::Approx(std::sqrt(1.9375)).epsilon(1e-6));
  CHECK(json.at("/speeds/hyperbolic") == "\"yes\"");
  write("reaction = \"-h*sqrt(0.05 - t)\"", "2");
  const Printed late = williwaw_in(folder, "run case.toml --quiet -o late");
  CHECK(late.code == 4);
  CHECK(late.error.find("equation.unknowns.h.reaction: ") != std::string::npos);
  CHECK(late.error.find("the reaction is not a finite number at x = 0.0625") != std::string::npos);
  CHECK(store::FieldReader(folder / "late" / "fields.nc").times().size() == 4);
}
