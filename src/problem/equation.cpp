#include "williwaw/problem/equation.hpp"

namespace williwaw {

Reaction Reaction::of(std::function<Real(Real)> rate, bool linear) {
  return {[rate](const Points&, Real, std::span<const Real> u, std::span<Real> out) {
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
       }},
      {"diffusion",
       "concentration",
       "storage·du/dt = ∇·(diffusivity ∇u) + source",
       {{"diffusivity", diffusivity, true, 0, true},
        {"storage", storage, false, 1, false},
        {"source", source, false, 0, false}},
       [](const std::vector<std::vector<Function>>& c) {
         return diffusion(std::array{c[0][0], c[0][1], c[0][2]}, c[1][0], c[2][0]);
       }},
  };
  return kinds;
}

}  // namespace williwaw
