// Separable systems: the matrix as a sum over axes, each with weights, conductances and boundary terms of its
// own.
#pragma once

#include <optional>

#include "williwaw/balance/linear_system.hpp"

namespace williwaw {

/// What one axis contributes. Row i of the axis' own operator: weight_i·shift is not in it; the conductances and
/// boundary terms are for weights 1 along the other axes.
struct SeparableAxis {
  Index first = 0, count = 0;  ///< unknowns that boundaries do not hold
  bool periodic = false;
  std::vector<Real> weight;       ///< fraction of the control volume, 1 at the first free unknown's neighbour
  std::vector<Real> conductance;  ///< between i − 1 and i; entry 0 is that of the seam where periodic
  std::vector<Real> boundary;     ///< what boundaries and prescribed neighbours add
};

/// A = shift·W + Σ axes (operator of the axis times the weights of the others), W the product of all weights.
struct Separable {
  std::vector<SeparableAxis> axes;
  Real shift = 0;
};

/// The parts of a system that is separable; nothing for one that is not.
std::optional<Separable> separate(const FaceSystem& system);

}  // namespace williwaw
