#include <fmt/format.h>

#include <algorithm>

#include "reader.hpp"

namespace williwaw::casefile {

namespace {

const char* const heat = R"(title = "A wall between a warm room and the cold"

[constants]                          # names that formulas below may use
thickness = "0.30 m"
outside = "-5 degC"

[grid]                               # x alone: one dimension; add y and z for two or three
unknowns = "cells"                   # cells: values at centres; nodes: at grid points, walls included
x = { from = "0 m", to = "thickness", cells = 60 }

[equation]
kind = "heat"
conductivity = "0.8 W/m/K"
density = "1900 kg/m^3"
heat_capacity = "850 J/kg/K"
# source = "0 W/m^3"                 # a number, a number with a unit, or a formula in x and t

[initial]
value = "18 degC"

[boundary]                           # one line for each side: dirichlet, flux, gradient, robin, "insulated", "periodic"
west = { robin = { coefficient = "8 W/m^2/K", ambient = "18 degC" } }
east = { dirichlet = "outside" }

[time]
until = "12 h"
scheme = "crank-nicolson"            # explicit-euler rk4 rk45 stabilized bdf2 sdirk4 ..
step = "60 s"                        # or { of_limit = 0.9 } of the largest stable one, or { adaptive = 1e-5 }

[record]
every = "1 h"                        # whole fields
series = "10 minute"                 # probes, extremes, totals, wall fluxes

[[probe]]
name = "middle"
at = ["0.15 m"]

[[figure]]
kind = "profiles"
times = ["0 h", "1 h", "3 h", "12 h"]

[[figure]]
kind = "spacetime"
)";

const char* const diffusion = R"(title = "Salt spreading on a plan"

[grid]
unknowns = "nodes"                   # nodes: values at grid points, walls included; cells: at centres
x = { from = "0 m", to = "0.4 m", nodes = 41 }
y = { from = "0 m", to = "0.2 m", nodes = 21 }

[equation]
kind = "diffusion"
diffusivity = "1.5e-9 m^2/s"         # or { x = .., y = .. }
unknown = { name = "salinity", unit = "kg/m^3" }

[initial]
value = "5 kg/m^3"

[boundary]
west = { dirichlet = "35 kg/m^3" }
default = "insulated"                # every side not named

[time]
until = "60 day"
scheme = "explicit-euler"            # explicit-euler rk4 rk45 stabilized bdf2 sdirk4 ..
step = { of_limit = 0.9 }            # a part of the largest stable step, or a time

[record]
every = "10 day"
series = "1 day"

[[probe]]
name = "middle"
at = ["0.2 m", "0.1 m"]

[[figure]]
kind = "map"
times = ["60 day"]
)";

const char* const wave_start = R"case(title = "A pulse on a line"

[grid]                               # x alone: a line; x and y: a plan; x, y and z: a block
unknowns = "nodes"                   # nodes: values at grid points, ends included; cells: at centres
x = { from = "0 m", to = "20 m", nodes = 401 }

[equation]
kind = "wave"
speed = "4 m/s"                      # a number, a formula or by region; or tension and density
# damping = "0.1 1/s"
# source = "0 m/s^2"                 # a formula in x and t; points = [{ name, at, rate }] for single places

[initial]
value = { formula = "0.1*exp(-(x - 6)^2)", unit = "m" }
rate = "0 m/s"

[boundary]                           # "fixed" "free" "absorbing" "periodic", driven, impedance
west = "fixed"
east = "absorbing"                   # or { absorbing = { order = 2 } }, { absorbing = { layer = 20 } }

[time]
until = "8 s"
scheme = "leapfrog"                  # leapfrog corrected-leapfrog newmark rk4 ..
step = { courant = 0.9 }             # or { of_limit = 0.9 }, or a time

[record]
every = "0.5 s"
series = "0.05 s"

[[probe]]
name = "gauge"
at = ["15 m"]

[[figure]]
kind = "profiles"
times = ["0 s", "1 s", "2 s", "4 s"]

[[figure]]
kind = "spacetime"

[[figure]]
kind = "spectrum"                    # of the probe's record
of = "gauge"
)case";

}  // namespace

std::string starter_case(const std::string& kind) {
  if (kind == "heat") return heat;
  if (kind == "diffusion") return diffusion;
  if (kind == "wave") return wave_start;
  const Words later{"transport", "conservation", "unsaturated", "system"};
  const Words known{"heat", "diffusion", "wave"};
  if (std::ranges::find(later, kind) != later.end())
    throw InputError(fmt::format("kind '{}' is not there yet; there are {}", kind, listed(known, "and")));
  const std::string near = nearest(kind, known);
  throw InputError(
      fmt::format("unknown kind '{}'; {}", kind,
                  near.empty() ? "there are " + listed(known, "and") : "did you mean '" + near + "'?"));
}

}  // namespace williwaw::casefile
