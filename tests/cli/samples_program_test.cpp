// Samples of one case, and quantities that follow from its unknowns, as users of the program meet them.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>

#include "support/json.hpp"
#include "support/program.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/run_series.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

const std::string basins = R"case(title = "Salt that spreads from a basin"
[samples]
count = 5
[grid]
x = { from = "0 m", to = "4 m", cells = 16 }
[equation]
kind = "diffusion"
unknown = { name = "salinity", unit = "g/l" }
diffusivity = "0.02 m^2/s"
[initial]
value = { noise = { amplitude = "2 g/l", length = "0.8 m", seed = 3, mean = "30 g/l" } }
[boundary]
west = { dirichlet = { formula = "30 + 0.5*sample", unit = "g/l" } }
east = "insulated"
[derived]
excess = { value = "u - 30000*1", unit = "g/l" }
[time]
until = "20 s"
scheme = "crank-nicolson"
step = "0.5 s"
[record]
every = "10 s"
series = "5 s"
[[probe]]
name = "gauge"
at = ["1.1 m"]
[[figure]]
kind = "profiles"
[[figure]]
kind = "series"
of = "gauge"
)case";

// A column of a table by its name.
std::vector<Real> column_of(const std::filesystem::path& file, const std::string& name) {
  const store::Series table = store::read_series(file);
  const auto found = table.find(name);
  REQUIRE(found);
  return table.values[*found];
}

// Number 7 of Hyndman and Fan (1996), by its definition.
Real quantile(std::vector<Real> values, Real part) {
  std::ranges::sort(values);
  const Real place = part * static_cast<Real>(values.size() - 1), floor = std::floor(place);
  const auto low = static_cast<std::size_t>(floor);
  if (low + 1 == values.size()) return values[low];
  return values[low] + (place - floor) * (values[low + 1] - values[low]);
}

std::string written_without_unit(std::string text) {
  // In grams per litre a kilogram per cubic metre is 1.
  text.replace(text.find("u - 30000*1"), 11, "u*1");
  return text;
}

}  // namespace

TEST_CASE(
    "samples differ by their seeds and by `sample`; means, spreads and quantiles are those of them all") {
  const auto folder = folder_of("samples", written_without_unit(basins));
  REQUIRE(williwaw_in(folder, "run case.toml -o out").code == 0);
  std::vector<std::vector<Real>> gauges;
  std::vector<Field> ends;
  for (int s = 0; s < 5; ++s) {
    const auto own = folder / "out" / ("sample-" + std::to_string(s));
    gauges.push_back(column_of(own / "series.csv", "gauge"));
    const store::FieldReader fields(own / "fields.nc");
    ends.push_back(fields.field(2));
    // What the formula says of each.
    CHECK(0.5 * (ends.back().at(-1) + ends.back().at(0)) == doctest::Approx(30 + 0.5 * s));
    // And the seed: the same case with a seed of its own.
    if (s != 2) continue;
    REQUIRE(williwaw_in(folder,
                        "run case.toml --quiet -o alone --set samples.count=1 --set "
                        "initial.value.noise.seed=5 --set 'boundary.west.dirichlet=\"31 g/l\"'")
                .code == 0);
    CHECK(store::FieldReader(folder / "alone" / "fields.nc").field(2).values() == ends.back().values());
  }
  CHECK(ends[0].values() != ends[1].values());
  const auto mean = column_of(folder / "out" / "series.csv", "gauge");
  const auto spread = column_of(folder / "out" / "spread.csv", "gauge.spread");
  for (std::size_t row = 0; row < mean.size(); ++row) {
    std::vector<Real> now;
    Real sum = 0, squares = 0;
    for (const auto& gauge : gauges) now.push_back(gauge[row]);
    for (const Real v : now) sum += v / 5;
    for (const Real v : now) squares += (v - sum) * (v - sum) / 4;
    CHECK(mean[row] == doctest::Approx(sum).epsilon(1e-9));
    CHECK(spread[row] == doctest::Approx(std::sqrt(squares)).epsilon(1e-8));
    for (const auto& [name, part] : {std::pair{"gauge.p10", 0.1}, {"gauge.p50", 0.5}, {"gauge.p90", 0.9}})
      CHECK(column_of(folder / "out" / "spread.csv", name)[row] ==
            doctest::Approx(quantile(now, part)).epsilon(1e-9));
  }
  // The same of whole fields, on the boundary too.
  const store::FieldReader low(folder / "out" / "fields.nc", "salinity.p10"),
      off(folder / "out" / "fields.nc", "salinity.spread"),
      excess(folder / "out" / "fields.nc", "excess.p10");
  std::vector<Real> there;
  for (const Field& end : ends) there.push_back(end.at(7));
  CHECK(low.field(2).at(7) == doctest::Approx(quantile(there, 0.1)).epsilon(1e-12));
  CHECK(excess.field(2).at(7) == doctest::Approx(quantile(there, 0.1)).epsilon(1e-12));
  CHECK(off.description().value.unit == "g/l");
  // 0, 0.5, .. 2 spread by the root of 0.625.
  CHECK(0.5 * (off.field(2).at(-1) + off.field(2).at(0)) == doctest::Approx(std::sqrt(0.625)));
  for (const char* figure : {"profiles.png", "series-gauge.png"})
    CHECK(std::filesystem::exists(folder / "out" / "figures" / figure));
  const Json told(williwaw_in(folder, "run case.toml --json -o again").out);
  CHECK(told.number("/sample_3/steps") == 40);
  CHECK(told.number("/mean_of_5_samples_spread_at_the_end/gauge/value") ==
        doctest::Approx(mean.back()).epsilon(1e-9));
  // What has ended is not run again by those who resume.
  std::filesystem::remove_all(folder / "out" / "sample-1");
  std::filesystem::remove(folder / "out" / "sample-0" / "series.csv");
  CHECK(williwaw_in(folder, "run case.toml --quiet --resume -o out").code == 2);
  CHECK(std::filesystem::exists(folder / "out" / "sample-1" / "series.csv"));
  CHECK_FALSE(std::filesystem::exists(folder / "out" / "sample-0" / "series.csv"));
  // Unless the case has changed since.
  std::filesystem::remove(folder / "out" / "sample-1" / "outcome.json");
  CHECK(williwaw_in(folder, "run case.toml --quiet --resume -o out --set equation.diffusivity=1").code == 2);
  REQUIRE(williwaw_in(folder,
                      "run case.toml --quiet --resume --trust -o out --set "
                      "'equation.diffusivity=\"0.03 m^2/s\"'")
              .code == 0);
  CHECK(std::filesystem::exists(folder / "out" / "sample-0" / "series.csv"));
}

TEST_CASE("what all samples cost together is asked about, not what one does") {
  const auto folder = folder_of("many", written_without_unit(basins));
  // A hundred million steps take minutes, ten thousand times as many more than a day.
  const Printed many =
      williwaw_in(folder,
                  "run case.toml --quiet -o out --set samples.count=10000 --set record.every=5e5s "
                  "--set record.series=1e5s --set time.until=1e6s --set time.step=0.01s");
  CHECK(many.code == 2);
  CHECK(many.error.find("10000 samples of 1e+08 steps of 16 unknowns would take ") != std::string::npos);
  CHECK(many.error.find("--force runs it all the same") != std::string::npos);
  CHECK_FALSE(std::filesystem::exists(folder / "out" / "fields.nc"));
}

TEST_CASE("a sample that blows up is told, and spreads of the others are not") {
  const auto folder = folder_of("sample-blows", R"case(
[samples]
count = 3
[grid]
x = { from = 0, to = 1, cells = 8 }
[equation]
kind = "diffusion"
diffusivity = 0.1
reaction = "sample == 1 ? 5*u*u : 0"
[initial]
value = 1
[boundary]
default = "insulated"
[time]
until = 1
scheme = "rk4"
step = 0.01
)case");
  const Printed run = williwaw_in(folder, "run case.toml -o out");
  CHECK(run.code == 4);
  CHECK(run.error.find("sample 1: ") != std::string::npos);
  CHECK(run.out.find("sample 0  stable") != std::string::npos);
  CHECK(std::filesystem::exists(folder / "out" / "sample-0" / "outcome.json"));
  // Sweeps are not resumed and keep none.
  REQUIRE(williwaw_in(folder, "sweep case.toml --vary time.step=0.01,0.02 -o swept").code == 0);
  CHECK_FALSE(std::filesystem::exists(folder / "swept" / "time.step-0.01" / "outcome.json"));
  const Printed small = williwaw_in(folder, "run case.toml -o small --memory 100B");
  CHECK(small.code == 2);
  CHECK(small.error.find("but the run may take") != std::string::npos);
  CHECK(run.out.find("sample 1  not solved") != std::string::npos);
  CHECK_FALSE(std::filesystem::exists(folder / "out" / "fields.nc"));
  CHECK(std::filesystem::exists(folder / "out" / "sample-2" / "fields.nc"));
}

TEST_CASE("derived quantities stand beside the unknowns in records, series, figures and refinements") {
  const auto folder = folder_of("derived", R"case(title = "Wind over the sound"
[grid]
x = { from = "0 m", to = "1 m", cells = 16 }
y = { from = "0 m", to = "1 m", cells = 16 }
[equation]
kind = "system"
velocity = ["u", "v"]
vectors = { wind = ["u", "v"] }
[equation.unknowns.u]
unit = "m/s"
diffusivity = "0.05 m^2/s"
[equation.unknowns.v]
unit = "m/s"
diffusivity = "0.05 m^2/s"
[exact.u]
value = { formula = "0.5 + 0.3*sin(2*x + y + t)", unit = "m/s" }
manufactured = true
[exact.v]
value = { formula = "0.4 + 0.2*cos(x - 2*y)*exp(-t)", unit = "m/s" }
manufactured = true
[boundary]
default = { dirichlet = "0 m/s" }
[time]
until = "0.5 s"
scheme = "rk2"
step = "0.01 s"
[space]
reconstruction = "van-leer"
[derived]
energy = { value = "0.5*(u^2 + v^2)", unit = "cm^2/s^2" }
[converge]
levels = 3
[[probe]]
name = "mast"
of = "energy"
at = ["0.3 m", "0.2 m"]
[[probe]]
name = "vane"
of = "wind"
at = ["0.3 m", "0.2 m"]
[[probe]]
name = "spring"
of = "wind.divergence"
at = ["0.3 m", "0.2 m"]
[[probe]]
name = "eddy"
of = "wind.rotation"
at = ["0.3 m", "0.2 m"]
[[figure]]
kind = "map"
of = "energy"
)case");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  const Real x = 0.3, y = 0.2, t = 0.5;
  const Real u = 0.5 + 0.3 * std::sin(2 * x + y + t), v = 0.4 + 0.2 * std::cos(x - 2 * y) * std::exp(-t);
  const Real u_x = 0.6 * std::cos(2 * x + y + t), v_y = 0.4 * std::sin(x - 2 * y) * std::exp(-t);
  const Real u_y = 0.3 * std::cos(2 * x + y + t), v_x = -0.2 * std::sin(x - 2 * y) * std::exp(-t);
  const auto end = [&](const std::string& name) {
    return column_of(folder / "out" / "series.csv", name).back();
  };
  CHECK(end("energy: mast") == doctest::Approx(1e4 * 0.5 * (u * u + v * v)).epsilon(0.005));
  CHECK(end("wind: vane") == doctest::Approx(std::hypot(u, v)).epsilon(0.005));
  CHECK(end("wind.divergence: spring") == doctest::Approx(u_x + v_y).epsilon(0.05));
  CHECK(end("wind.rotation: eddy") == doctest::Approx(v_x - u_y).epsilon(0.05));
  const store::FieldReader energy(folder / "out" / "fields.nc", "energy");
  CHECK(energy.description().value.unit == "cm^2/s^2");
  // On a side from what the unknowns have there.
  const Field last = energy.field(static_cast<Index>(energy.times().size()) - 1);
  const Real y_east = 5.5 / 16, u_east = 0.5 + 0.3 * std::sin(2 + y_east + t),
             v_east = 0.4 + 0.2 * std::cos(1 - 2 * y_east) * std::exp(-t);
  CHECK(0.5 * (last.at(15, 5) + last.at(16, 5)) ==
        doctest::Approx(1e4 * 0.5 * (u_east * u_east + v_east * v_east)).epsilon(1e-9));
  CHECK(std::filesystem::exists(folder / "out" / "figures" / "map-energy.png"));
  const Printed refined = williwaw_in(folder, "converge case.toml");
  for (const char* name : {"energy: mast [cm^2/s^2]", "wind.rotation: eddy", "v: error L2"})
    CHECK(refined.out.find(name) != std::string::npos);
  CHECK(williwaw_in(folder, "check case.toml").out.find("derived energy [cm^2/s^2]") != std::string::npos);
}

TEST_CASE("manufactured solutions know what velocities and fluxes carry away") {
  const auto folder = folder_of("manufactured", R"case(
[grid]
x = { from = 0, to = 1, cells = 20 }
[equation]
kind = "KIND"
ADVECTS
diffusivity = 0.1
[exact]
value = "1 + sin(2*x + t)"
manufactured = true
[boundary]
default = { dirichlet = 0 }
[time]
until = 0.5
scheme = "rk2"
step = 0.005
[space]
SPACE
[converge]
levels = 3
)case");
  std::ifstream in(folder / "case.toml");
  const std::string text((std::istreambuf_iterator<char>(in)), {});
  const std::string law = "numerical_flux = \"local-lax-friedrichs\"\nreconstruction = \"van-leer\"";
  const std::string central = "numerical_flux = \"central\"";
  for (const auto& [kind, advects, space] :
       {std::tuple<std::string, std::string, std::string>{"transport", "velocity = \"0.5 + 0.2*x\"", central},
        {"transport", "velocity = \"0.5 + 0.2*x\"\nform = \"advective\"", central},
        {"conservation", "flux = \"u*u/3\"", law},
        {"conservation", "flux = \"quadratic\"", law}}) {
    std::string own = text;
    for (const auto& [from, to] :
         {std::pair<std::string, std::string>{"KIND", kind}, {"ADVECTS", advects}, {"SPACE", space}})
      own.replace(own.find(from), from.size(), to);
    std::ofstream(folder / "case.toml") << own;
    const Printed refined = williwaw_in(folder, "converge case.toml --json");
    REQUIRE(refined.code == 0);
    CHECK(Json(refined.out).number("/error_l1/orders") > 1.9);
  }
}
