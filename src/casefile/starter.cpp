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
name = "probe"
at = ["15 m"]

[[figure]]
kind = "profiles"
times = ["0 s", "1 s", "2 s", "4 s"]

[[figure]]
kind = "spacetime"

[[figure]]
kind = "spectrum"                    # of the probe's record
of = "probe"
)case";

const char* const transport_start = R"case(title = "Dye carried down a channel"

[grid]                               # x alone: a line; x and y: a plan; x, y and z: a block
x = { from = "0 m", to = "200 m", cells = 200 }

[equation]
kind = "transport"
velocity = "0.5 m/s"                 # [.., ..] on a plan; { stream_function = ".." }; { files = "tide.nc", variables = [..], period = ".." }
diffusivity = "0.05 m^2/s"           # left out: nothing diffuses
# form = "advective"                 # for a velocity that compresses and a total that need not stay
unknown = { name = "dye", unit = "g/m^3" }

[initial]
value = { formula = "exp(-((x - 40)/8)^2)", unit = "g/m^3" }

[boundary]                           # dirichlet: what comes in; "outflow"; "insulated": closed; "periodic"
west = { dirichlet = "0 g/m^3" }
east = "outflow"                     # { outflow = { backflow = ".." } } where the stream may turn back

[space]
reconstruction = "van-leer"          # first-order minmod van-leer monotonized-central superbee third-order weno5
numerical_flux = "upwind"            # central upwind engquist-osher lax-friedrichs hybrid power-law ..

[time]
until = "240 s"
scheme = "ssprk3"                    # or "semi-lagrangian" for long steps, "implicit-explicit" for strong diffusion
step = { courant = 0.45 }

[record]
every = "60 s"
series = "5 s"

[[probe]]
name = "bridge"
at = ["120 m"]

[[figure]]
kind = "profiles"

[[variant]]
title = "first order"
space.reconstruction = "first-order"
)case";

const char* const conservation_start = R"case(title = "A wave that steepens into a front"

[grid]
x = { from = 0, to = 1, cells = 200 }

[equation]
kind = "conservation"
flux = "quadratic"                   # u^2/2 along every axis; or a formula of u, or { x = "..", y = ".." }
# diffusivity = 0.001

[initial]
value = "1 + 0.5*sin(2*pi*x)"

[boundary]
default = "periodic"                 # or dirichlet, "outflow", "insulated"

[space]
reconstruction = "van-leer"          # first-order minmod van-leer monotonized-central superbee third-order weno5
numerical_flux = "upwind"            # upwind engquist-osher local-lax-friedrichs lax-friedrichs central lax-wendroff

[time]
until = 1
scheme = "ssprk3"
step = { courant = 0.45 }

[record]
every = 0.1
series = 0.01

[[figure]]
kind = "profiles"
times = [0, 0.2, 0.4, 1]

[[figure]]
kind = "spacetime"

[[variant]]
title = "first order"
space.reconstruction = "first-order"

[[variant]]
title = "weno5"
space.reconstruction = "weno5"
)case";

}  // namespace

std::string starter_case(const std::string& kind) {
  static const std::vector<std::pair<std::string, const char*>> starters{
      {"heat", heat},
      {"diffusion", diffusion},
      {"wave", wave_start},
      {"transport", transport_start},
      {"conservation", conservation_start}};
  Words known;
  for (const auto& [name, text] : starters) {
    if (name == kind) return text;
    known.push_back(name);
  }
  const Words later{"unsaturated", "system"};
  if (std::ranges::find(later, kind) != later.end())
    throw InputError(fmt::format("kind '{}' is not there yet; there are {}", kind, listed(known, "and")));
  const std::string near = nearest(kind, known);
  throw InputError(
      fmt::format("unknown kind '{}'; {}", kind,
                  near.empty() ? "there are " + listed(known, "and") : "did you mean '" + near + "'?"));
}

}  // namespace williwaw::casefile
