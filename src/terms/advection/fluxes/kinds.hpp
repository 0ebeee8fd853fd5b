// What a file of a numerical flux defines: NAME(), and a line KIND(NAME) in list.inc.
#pragma once

#include <algorithm>
#include <cmath>

#include "williwaw/grid/clones.hpp"
#include "williwaw/terms/numerical_flux.hpp"

namespace williwaw::fluxes {

#define KIND(name) NumericalFlux name();
#include "list.inc"
#undef KIND

using Weights = std::pair<Real, Real>;

inline Weights upwind_weights(Real v, Real, Real, Real) {
  return {std::max(v, 0.0), std::min(v, 0.0)};
}

/// f(left) and f(right) in the line's room.
struct LawFluxes {
  Real *left, *right;
  explicit LawFluxes(const FaceLine& line) : left(line.workspace), right(line.workspace + line.count) {
    const auto n = static_cast<std::size_t>(line.count);
    line.law->flux(line.direction, {line.left, n}, {left, n});
    line.law->flux(line.direction, {line.right, n}, {right, n});
  }
};

/// df/du on both sides, in the rest of the room.
struct LawSpeeds {
  Real *left, *right;
  explicit LawSpeeds(const FaceLine& line)
      : left(line.workspace + 2 * line.count), right(line.workspace + 3 * line.count) {
    const auto n = static_cast<std::size_t>(line.count);
    line.law->speed(line.direction, {line.left, n}, {left, n});
    line.law->speed(line.direction, {line.right, n}, {right, n});
  }
};

/// Of velocities, by weights: slow, for fluxes that are not in a hurry.
template <Weights (*weights)(Real, Real, Real, Real)>
void by_weights(const FaceLine& line, Real* out) {
  for (Index i = 0; i < line.count; ++i) {
    const auto [a, b] = weights(line.velocity[i], line.conductance ? line.conductance[i] : 0,
                                line.largest_speed, line.step_over_spacing);
    out[i] = a * line.left[i] + b * line.right[i];
  }
}

}  // namespace williwaw::fluxes
