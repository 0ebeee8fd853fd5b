#include <fmt/format.h>

#include <algorithm>

#include "reader.hpp"
#include "williwaw/problem/soil.hpp"
#include "williwaw/terms/numerical_flux.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw::casefile {

namespace {

const char* const heat = R"(title = "A wall between a warm room and the cold"

[constants]                          # names that formulas below may use
thickness = "0.30 m"
outside = "-5 degC"

[grid]                               # x alone: one dimension; add y and z for two or three
unknowns = "cells"                   # cells: values at centres; nodes: at grid points, boundaries included
x = { from = "0 m", to = "thickness", cells = 60 }

[equation]
kind = "heat"
conductivity = "0.8 W/m/K"
density = "1900 kg/m^3"
heat_capacity = "850 J/kg/K"
# source = "0 W/m^3"                 # a number, a number with a unit, or a formula in x and t

[initial]
value = "18 degC"

# conditions of the sides: @conditions@
[boundary]
west = { robin = { coefficient = "8 W/m^2/K", ambient = "18 degC" } }
east = { dirichlet = "outside" }

[time]
until = "12 h"
# schemes: @schemes@
scheme = "crank-nicolson"
step = "60 s"                        # or { of_limit = 0.9 } of the largest stable one, or { adaptive = 1e-5 }

[record]
every = "1 h"                        # whole fields
series = "10 min"                    # probes, extremes, totals, boundary flows

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
unknowns = "nodes"                   # nodes: values at grid points, boundaries included; cells: at centres
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
# schemes: @schemes@
scheme = "explicit-euler"
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

# conditions: @wave conditions@
[boundary]
west = "fixed"
east = "absorbing"                   # or { absorbing = { order = 2 } }, { absorbing = { layer = 20 } }

[time]
until = "8 s"
# schemes: @wave schemes@
scheme = "leapfrog"
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
# reconstructions: @reconstructions@
# numerical fluxes: @fluxes@
reconstruction = "van-leer"
numerical_flux = "upwind"

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
# reconstructions: @reconstructions@
# numerical fluxes: @fluxes@
reconstruction = "van-leer"
numerical_flux = "upwind"

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

const char* const unsaturated_start = R"case(title = "Rain on a moist column"

[grid]
z = { from = "0 m", to = "1 m", cells = 100 }

[equation]
kind = "unsaturated"                 # the unknown is the pressure head, below zero where unsaturated
soil = "loam"                        # or by region: { default = "loam", layer = "sand" }
gravity = "bottom"                   # the side towards which water falls, or a vector

[soil.loam]
model = "van-genuchten"              # models: @soils@ curve
residual = 0.06
saturated = 0.43
alpha = "3.6 1/m"
n = 1.56
conductivity = "10 mm/h"             # at saturation
specific_storage = "1e-5 1/m"

[initial]
value = "-1 m"

# conditions: @unsaturated conditions@
[boundary]
top = { rain = { rate = "15 mm/h", ponding = "0 m" } }
bottom = "free-drainage"

[time]
until = "12 h"
scheme = "implicit-euler"            # explicit schemes cannot follow what is saturated
step = { adaptive = "5 mm" }         # the error of a step

[record]
every = "1 h"
series = "10 min"

[[figure]]
kind = "profiles"                    # of the head; of = "content" or "total-head" besides

[[figure]]
kind = "profiles"
of = "content"

[[figure]]
kind = "budget"
)case";

const char* const system_start = R"case(title = "Two unknowns that react with each other"

[constants]
rate = "0.5 1/day"                   # at which everything turns over

[grid]
x = { from = "0 km", to = "16 km", cells = 80 }
y = { from = "0 km", to = "10 km", cells = 50 }

[equation]
kind = "system"
# velocity = ["u", "v"]              # unknowns that advect all of them, or values: ["2 m/s", "0 m/s"]
# form = "advective"                 # u_t + v·∇u; or "conservative", ∇·(v u)
# vectors = { wind = ["u", "v"] }    # figures of = "wind", "wind.divergence", "wind.rotation"

[equation.unknowns.ice]              # one table for each unknown, in any number
unit = "1"
diffusivity = "0.5 m^2/s"
reaction = "rate*(0.1 - ice + ice^2*brine)"   # a formula of all unknowns, in SI, of place and of t
# cross_diffusivity = { brine = "0.1 m^2/s" }   # down the gradient of another unknown, of either sign
# storage = 1                        # or content, a formula of this unknown
# source = "0 1/s"
# flux = { x = "..", y = ".." }      # instead of velocity: a conservation law, formulas of all unknowns
                                     # with [space] variables = "characteristic" or "conserved"

[equation.unknowns.brine]
unit = "1"
diffusivity = "20 m^2/s"
reaction = "rate*(0.9 - ice^2*brine)"

[initial.ice]
value = { noise = { amplitude = "0.01", length = "1 km", seed = 5, mean = "1" } }
[initial.brine]
value = "0.9"

# conditions: @conditions@
[boundary]
default = "insulated"                # for all unknowns; or west = { ice = "insulated", brine = { dirichlet = "0.9" } }

[derived]
both = { value = "ice + brine", unit = "1" }   # recorded; for figures and probes by its name

# [samples]
# count = 8                          # so many runs, with seeds 5, 6, ..; formulas know the number of each as `sample`

[time]
until = "60 day"
# schemes: @schemes@
scheme = "implicit-explicit"         # fluxes implicit, reactions explicit
step = "2 h"

[record]
every = "10 day"
series = "1 day"                     # columns "ice: minimum" ..

[[probe]]
name = "middle"
at = ["8 km", "5 km"]
of = "ice"

[[figure]]
kind = "map"
of = "ice"

[[figure]]
kind = "series"
)case";

}  // namespace

namespace {

const std::vector<std::pair<std::string, const char*>> starters{{"heat", heat},
                                                                {"diffusion", diffusion},
                                                                {"wave", wave_start},
                                                                {"transport", transport_start},
                                                                {"conservation", conservation_start},
                                                                {"unsaturated", unsaturated_start},
                                                                {"system", system_start}};

Words starter_kinds() {
  Words known;
  for (const auto& [name, text] : starters) known.push_back(name);
  return known;
}

// "a b c" of the kinds that hold.
template <class Kind, class Holds>
std::string names_where(const std::vector<Kind>& kinds, const Holds& holds) {
  std::string text;
  for (const Kind& kind : kinds)
    if (holds(kind)) text += (text.empty() ? "" : " ") + kind.name;
  return text;
}

// Comments that list what there is are written from the lists themselves.
std::string with_lists(std::string text) {
  const auto scheme_where = [](bool waves) {
    return names_where(scheme_kinds(), [waves](const SchemeKind& kind) {
      const Scheme scheme = kind.make(kind.highest);
      return waves ? takes_second_order(scheme) : !is_second_order(scheme) && !semi_lagrangian(scheme);
    });
  };
  const auto all = [](const auto&) { return true; };
  const std::map<std::string, std::string> lists{
      {"@schemes@", scheme_where(false)},
      {"@wave schemes@", scheme_where(true)},
      {"@reconstructions@", names_where(reconstruction_kinds(), all)},
      {"@fluxes@", names_where(numerical_fluxes(), all)},
      {"@conditions@",
       names_where(boundary_condition_kinds(),
                   [](const BoundaryConditionKind& k) { return !k.of_waves && !k.of_gravity; }) +
           " periodic"},
      {"@soils@", names_where(soil_models(), [](const SoilModel&) { return true; })},
      {"@unsaturated conditions@", names_where(boundary_condition_kinds(),
                                               [](const BoundaryConditionKind& k) {
                                                 return !k.of_waves && !k.of_advection && !k.needs_kelvin &&
                                                        k.name != "diffusive_flux";
                                               }) +
                                       " periodic"},
      {"@wave conditions@", names_where(boundary_condition_kinds(), [](const BoundaryConditionKind& k) {
                              return k.of_waves;
                            }) + " periodic"}};
  for (const auto& [mark, list] : lists)
    for (auto at = text.find(mark); at != std::string::npos; at = text.find(mark))
      text.replace(at, mark.size(), list);
  return text;
}

}  // namespace

std::string starter_names() {
  return listed(starter_kinds());
}

std::string starter_case(const std::string& kind) {
  const auto found = std::ranges::find(starters, kind, &std::pair<std::string, const char*>::first);
  if (found != starters.end()) return with_lists(found->second);
  const Words known = starter_kinds();
  const std::string near = nearest(kind, known);
  throw InputError(
      fmt::format("unknown kind '{}'; {}", kind,
                  near.empty() ? "there are " + listed(known, "and") : "did you mean '" + near + "'?"));
}

}  // namespace williwaw::casefile
