// Waves through the program: cases, probes, spectra, sweeps, maps, resumed runs.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "support/json.hpp"
#include "support/marching.hpp"
#include "support/program.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

const std::string line_case = R"case(
title = "A line"
[grid]
unknowns = "nodes"
x = { from = "0 m", to = "12 m", nodes = 121 }
[equation]
kind = "wave"
tension = "20 kN"
density = "8 kg/m"
[initial]
value = { formula = "0.3*exp(-((x - 3)/0.6)^2)", unit = "m" }
[boundary]
west = "fixed"
east = "fixed"
[time]
until = "4 s"
scheme = "leapfrog"
step = { courant = 0.8 }
[record]
every = "0.1 s"
series = "0.005 s"
[[probe]]
name = "probe"
at = ["8 m"]
[[variant]]
title = "free"
boundary.east = "free"
[[variant]]
title = "absorbing"
boundary.east = "absorbing"
[[figure]]
kind = "spectrum"
[[figure]]
kind = "dispersion"
)case";

}  // namespace

TEST_CASE("a wave runs from its case to energies, probes, a spectrum and pictures") {
  const auto folder = folder_of("wave-line", line_case);
  const Printed run = williwaw_in(folder, "run case.toml --json");
  REQUIRE(run.code == 0);
  const Json json(run.out);
  CHECK(json.number("/energy_budget/relative_residual") < 1e-10);
  // 50 m/s from 3 m to 8 m, a tenth of the pulse ahead of its middle.
  const double arrives = json.number("/probes/probe/value");
  CHECK(arrives < 5.0 / 50);
  CHECK(arrives > 3.5 / 50);
  const auto series = store::read_series(folder / "case.out" / "series.csv");
  const auto column = [&](const char* name) { return series.values[*series.find(name)]; };
  const auto kinetic = column("kinetic energy"), potential = column("potential energy"),
             energy = column("energy");
  for (std::size_t n = 0; n < energy.size(); ++n) {
    CHECK(energy[n] == doctest::Approx(kinetic[n] + potential[n]));
    CHECK(energy[n] == doctest::Approx(energy[0]).epsilon(1e-10));
  }
  // Every strong peak stands at a mode of the line: n·c/(2·12 m).
  const std::string peaks = text_of(folder / "case.out" / "peaks.csv");
  std::istringstream rows(peaks);
  std::string row;
  std::getline(rows, row);
  CHECK(row == "probe,frequency [Hz],amplitude [m],nearest mode [Hz]");
  int strong = 0;
  while (std::getline(rows, row)) {
    double frequency = 0, amplitude = 0, mode = 0;
    REQUIRE(std::sscanf(row.c_str(), "probe,%lf,%lf,%lf", &frequency, &amplitude, &mode) == 3);
    const double number = frequency / (50.0 / 24);
    CHECK(std::abs(number - std::round(number)) < 0.06);
    CHECK(mode == doctest::Approx(std::round(number) * 50.0 / 24).epsilon(0.01));
    ++strong;
  }
  CHECK(strong >= 3);
  for (const char* picture : {"spectrum.png", "dispersion.png"})
    CHECK(std::filesystem::file_size(folder / "case.out" / "figures" / picture) > 5000);
  CHECK(williwaw_in(folder, "plot case.toml stability").code == 0);
  CHECK(williwaw_in(folder, "plot case.toml dispersion").code == 0);
  CHECK(williwaw_in(folder, "plot case.out spectrum --of nowhere").code == 2);
}

TEST_CASE("check tells the border, what Euler does, and what the grid costs") {
  const auto folder = folder_of("wave-check", line_case);
  const Json json(williwaw_in(folder, "check case.toml --json").out);
  CHECK(json.number("/dispersion/phase_lag_in_time/value") > 0);
  CHECK(json.number("/stability/courant_number") == doctest::Approx(0.79365));
  const Printed kept = williwaw_in(folder, "check case.toml");
  CHECK(kept.out.find("% less to meet the records") != std::string::npos);
  const Printed euler =
      williwaw_in(folder, "check case.toml --set time.scheme=explicit-euler --set time.step=\"1 ms\"");
  CHECK(euler.code == 3);
  CHECK(euler.out.find("unstable at any step") != std::string::npos);
  const Printed long_step = williwaw_in(folder, "run case.toml --set time.step=\"2.5 ms\"");
  CHECK(long_step.code == 3);
  CHECK(long_step.error.find("modes grow") != std::string::npos);
  const Printed forced = williwaw_in(folder, "run case.toml --force --set time.step=\"2.5 ms\"");
  CHECK(forced.code == 3);
  CHECK(forced.error.find("times the energy that was put in") != std::string::npos);
  const Printed border = williwaw_in(
      folder,
      "check case.toml --set boundary.west=periodic --set boundary.east=periodic --set grid.x.nodes=121 "
      "--set time.step=\"2 ms\" --set record.series=\"4 ms\"");
  CHECK(border.out.find("double root of modulus one") != std::string::npos);
}

TEST_CASE("a sweep sets the ends side by side; converge finds the order; manufactured waves are waves") {
  const auto folder = folder_of("wave-sweep", line_case);
  const Printed sweep = williwaw_in(folder, "sweep case.toml");
  CHECK(sweep.code == 0);
  CHECK(sweep.out.find("absorbing") != std::string::npos);
  for (const char* form : {"second-order", "first-order"}) {
    const bool system = std::string(form) == "first-order";
    std::ofstream(folder / "made.toml")
        << "title = \"Made\"\ngrid.x = { from = 0, to = 1, cells = 20 }\n"
        << "equation = { kind = \"wave\", speed = \"1 + 0.3*x\", damping = 0.2, form = \"" << form << "\" }\n"
        << (system ? "space.reconstruction = \"van-leer\"\n" : "")
        << "initial.value = 0\nboundary = { west = \"fixed\", east = \"free\" }\n"
        << "time = { until = 0.5, scheme = \"" << (system ? "ssprk3" : "leapfrog")
        << "\", step = { courant = 0.5 } }\nrecord.every = 0.5\n"
        << "exact = { value = \"sin(2*x + 0.3)*cos(3*t)\", manufactured = true }\n";
    CAPTURE(form);
    const Printed made = williwaw_in(folder, "converge made.toml --set converge.levels=3 --json");
    CHECK(made.code == 0);
    CHECK(made.out.find("order") != std::string::npos);
    const Printed run =
        williwaw_in(folder, "run made.toml --force --set grid.x.cells=160 --json -o made.out");
    REQUIRE(run.code == 0);
    CHECK(Json(run.out).number("/against_the_exact_solution/at_0_5") < 2e-3);
  }
}

TEST_CASE("a wave cut short goes on with the same bits" * doctest::skip(test::instrumented)) {
#ifdef WILLIWAW_SANITIZED  // every step is written down, which takes long enough once
  const std::vector<const char*> ends{"absorbing"};
#else
  const std::vector<const char*> ends{"absorbing", "free"};
#endif
  for (const char* east : ends) {
    const auto folder = folder_of("wave-resume", line_case);
    const std::string common =
        "case.toml --quiet --set 'boundary.east=" + std::string(east) +
        "' --set grid.unknowns=cells --set 'grid.x={from=\"0 m\",to=\"12 m\",cells=120}' "
        "--set time.until=\"2 s\" --set record.every=\"1 s\" --checkpoint 0 ";
    CHECK(williwaw_in(folder, "run " + common + "-o whole").code == 0);
    const std::string cut = "cd '" + folder.string() + "' && timeout -s KILL " +
                            std::string(test::instrumented ? "0.5" : "0.15") + " '" + PROGRAM + "' run " +
                            common + "--resume -o parts >/dev/null 2>&1";
    bool killed = false;
    for (int n = 0; n < 3; ++n) killed = std::system(cut.c_str()) != 0 || killed;
    CHECK(killed);
    CHECK(williwaw_in(folder, "run " + common + "--resume -o parts").code == 0);
    CHECK(text_of(folder / "whole" / "series.csv") == text_of(folder / "parts" / "series.csv"));
  }
}

TEST_CASE("the sound: outline and speed from a map, shores and an open mouth") {
  const Printed check = williwaw_in(CASES, "check squall.toml --json");
  REQUIRE(check.code == 0);
  const Json json(check.out);
  CHECK(json.at("/boundaries/west").find("absorbing") != std::string::npos);
  CHECK(json.at("/boundaries/land").find("upright reflection") != std::string::npos);
  const auto folder = fresh_folder("sound");
  std::filesystem::copy(std::string(CASES) + "/data", folder / "data");
  std::filesystem::copy(std::string(CASES) + "/squall.toml", folder / "squall.toml");
  // Half as fine a grid reads the same map.
  const std::string coarse =
      "squall.toml --set grid.x.cells=120 --set grid.y.cells=75 --set 'time.until=\"6 minute\"' ";
  const Printed run = williwaw_in(folder, "run " + coarse + "--json -o out --set 'figure=[]'");
  REQUIRE(run.code == 0);
  const Json told(run.out);
  CHECK(told.number("/energy_budget/relative_residual") < 1e-10);
  CHECK(told.number("/energy_budget/from_source/value") > 0);
  CHECK(told.number("/probes/mouth/value") < told.number("/probes/sill/value"));
  const Printed outside = williwaw_in(
      folder, "check squall.toml --set 'equation.speed={file=\"data/sound.nc\",variable=\"depth\"}'");
  CHECK(outside.code == 2);
  CHECK(outside.error.find("does not fit: a speed is needed") != std::string::npos);
  const Printed beyond =
      williwaw_in(folder,
                  "check squall.toml --set 'equation.speed={file=\"data/sound.nc\",variable=\"speed\"}' "
                  "--set 'grid.x.to=\"13 km\"'");
  CHECK(beyond.code == 2);
  CHECK(beyond.error.find("lies outside the map") != std::string::npos);
}
