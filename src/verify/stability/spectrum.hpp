// The spectrum of a diffusion balance at one time, as far as it can be told.
#pragma once

#include <optional>

#include "williwaw/terms/discretization.hpp"

namespace williwaw::verify {

// What the limits are made of, at one time.
struct Spectrum {
  Real largest = 0;  ///< or a bound from above
  std::optional<Real> smallest;
  std::string method;
  bool exact = true;
  std::optional<Real> surely;  ///< where `largest` is a bound: there is an eigenvalue at least this large
  Real interior = 0;           ///< largest eigenvalue of the frozen symbol
  Index interior_at = 0;
  Real diagonal = 0;  ///< largest diagonal entry
  Index diagonal_at = 0;
};

/// Of −C⁻¹·F' for `parts`. Throws InputError if boundaries hold every unknown.
Spectrum spectrum(Discretization& balance, Real at, Parts parts = Parts::all());

/// The eigenvalue along one uniform axis that differences of order 4 make of one of order 2.
Real of_order_four(Real eigenvalue, const Conductances& c, const Grid& g, int axis);

/// Symbol of one unknown at the shortest wave: twice the sum of its conductances over its capacity. A missing
/// neighbour is taken to be joined like the one on the other side.
Real frozen_symbol(const Conductances& c, const Grid& g, Index n);

}  // namespace williwaw::verify
