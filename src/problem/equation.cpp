#include "williwaw/problem/equation.hpp"

#include "williwaw/problem/soil.hpp"

namespace williwaw {

Reaction Reaction::of(std::function<Real(Real)> rate, bool linear) {
  return {[rate = std::move(rate)](const Points&, Real, std::span<const Real> u, std::span<Real> out) {
            for (std::size_t i = 0; i < out.size(); ++i) out[i] = rate(u[i]);
          },
          false, linear};
}

Equation heat(const Function& conductivity, const Function& density, const Function& heat_capacity,
              Function source) {
  Equation e;
  e.kind = "heat";
  e.unknown = "temperature";
  e.storage = density * heat_capacity;
  e.diffusion.coefficient = {conductivity, conductivity, conductivity};
  e.source = std::move(source);
  return e;
}

Equation diffusion(const Function& diffusivity, Function storage, Function source) {
  return diffusion(std::array{diffusivity, diffusivity, diffusivity}, std::move(storage), std::move(source));
}

Equation diffusion(std::array<Function, 3> diffusivity, Function storage, Function source) {
  Equation e;
  e.storage = std::move(storage);
  e.diffusion.coefficient = std::move(diffusivity);
  e.source = std::move(source);
  return e;
}

Equation transport(Velocity velocity, const Function& diffusivity, Function storage, Function source) {
  Equation e = diffusion(diffusivity, std::move(storage), std::move(source));
  e.kind = "transport";
  e.advection = Advection{std::move(velocity), nullptr, true};
  return e;
}

Equation conservation(std::shared_ptr<const FluxLaw> law, const Function& diffusivity, Function source) {
  Equation e = diffusion(diffusivity, 1.0, std::move(source));
  e.kind = "conservation";
  e.unknown = "u";
  e.advection = Advection{{}, std::move(law), true};
  return e;
}

Equation wave(const Function& speed, Function damping, Function source) {
  return wave_in_tension(speed * speed, 1.0, std::move(damping), std::move(source));
}

Equation wave_in_tension(const Function& tension, Function density, Function damping, Function source) {
  Equation e = diffusion(tension, std::move(density), std::move(source));
  e.kind = "wave";
  e.unknown = "displacement";
  e.second_order = true;
  e.damping = std::move(damping);
  return e;
}

// speed²·∇²u is a flux form too once it is divided by speed²: that is what stores.
Equation wave_non_conservative(const Function& speed, Function damping, const Function& source) {
  const Function slowness = changed(speed, [](Real c) { return 1 / (c * c); });
  return wave_in_tension(1.0, slowness, std::move(damping), source * slowness);
}

namespace {
bool given(const Function& f) {
  return !f.is_constant() || f(Point{}) != 0;
}

Equation wave_of(const std::vector<std::vector<Function>>& c) {
  const Function &speed = c[0][0], &tension = c[1][0], &density = c[2][0];
  if (given(speed) == given(tension))
    throw InputError("a wave needs its speed, or tension and density, and not both");
  return given(speed) ? wave(speed, c[3][0], c[4][0]) : wave_in_tension(tension, density, c[3][0], c[4][0]);
}
}  // namespace

const std::vector<EquationKind>& equation_kinds() {
  using enum Coefficient;
  static const std::vector<EquationKind> kinds{
      {"heat",
       "temperature",
       "density·heat_capacity·du/dt = ∇·(conductivity ∇u) + source",
       {{"conductivity", conductivity, true, 0, true},
        {"density", density, true, 0, false},
        {"heat_capacity", heat_capacity, true, 0, false},
        {"source", source, false, 0, false}},
       [](const std::vector<std::vector<Function>>& c) {
         Equation e = heat(c[0][0], c[1][0], c[2][0], c[3][0]);
         e.diffusion.coefficient = {c[0][0], c[0][1], c[0][2]};
         return e;
       },
       false,
       false,
       false,
       false,
       false,
       true},
      {"diffusion",
       "concentration",
       "storage·du/dt = ∇·(diffusivity ∇u) + source",
       {{"diffusivity", diffusivity, true, 0, true},
        {"storage", storage, false, 1, false},
        {"source", source, false, 0, false}},
       [](const std::vector<std::vector<Function>>& c) {
         return diffusion(std::array{c[0][0], c[0][1], c[0][2]}, c[1][0], c[2][0]);
       },
       false,
       false,
       false,
       false,
       true},
      {"wave",
       "displacement",
       "d²u/dt² + damping·du/dt = ∇·(speed² ∇u) + source",
       {{"speed", speed, false, 0, false},
        {"tension", tension, false, 0, false},
        {"density", inertia, false, 1, false},
        {"damping", damping, false, 0, false},
        {"source", source, false, 0, false}},
       wave_of,
       true},
      {"transport",
       "concentration",
       "storage·du/dt + ∇·(velocity u) = ∇·(diffusivity ∇u) + source",
       {{"diffusivity", diffusivity, false, 0, true},
        {"storage", storage, false, 1, false},
        {"source", source, false, 0, false}},
       [](const std::vector<std::vector<Function>>& c) {
         Equation e = transport({}, 0.0, c[1][0], c[2][0]);
         e.diffusion.coefficient = {c[0][0], c[0][1], c[0][2]};
         return e;
       },
       false,
       true,
       false,
       false,
       true},
      {"conservation",
       "u",
       "du/dt + ∇·f(u) = ∇·(diffusivity ∇u) + source",
       {{"diffusivity", diffusivity, false, 0, true}, {"source", source, false, 0, false}},
       [](const std::vector<std::vector<Function>>& c) {
         Equation e = conservation(quadratic_flux(), 0.0, c[1][0]);
         e.diffusion.coefficient = {c[0][0], c[0][1], c[0][2]};
         return e;
       },
       false,
       false,
       true},
      {"unsaturated",
       "head",
       "d content(u)/dt = ∇·(conductivity(u) (∇u + upward)) + source",
       {{"source", source, false, 0, false}},
       [](const std::vector<std::vector<Function>>& c) { return unsaturated({}, std::nullopt, c[0][0]); },
       false,
       false,
       false,
       true},
      {"system",
       "u",
       "storage·du/dt = ∇·(diffusivity ∇u) + source, for each unknown",
       {{"diffusivity", diffusivity, false, 0, true},
        {"storage", storage, false, 1, false},
        {"source", source, false, 0, false}},
       [](const std::vector<std::vector<Function>>& c) {
         Equation e = diffusion(std::array{c[0][0], c[0][1], c[0][2]}, c[1][0], c[2][0]);
         e.kind = "system";
         e.may_be_still = true;
         return e;
       },
       false,
       false,
       false,
       false,
       true,
       false,
       true},
  };
  return kinds;
}

}  // namespace williwaw
