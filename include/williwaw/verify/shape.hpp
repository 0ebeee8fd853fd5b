// What carrying should keep and numerical schemes spoil: variation, squares, extrema, heights and widths.
#pragma once

#include "williwaw/terms/discretization.hpp"

namespace williwaw::verify {

/// Of one state.
struct Shape {
  /// Σ |difference of neighbours| along every axis, times the width across where there is more than one axis.
  Real variation = 0;
  /// ∫ u² over the domain.
  Real square = 0;
  /// On a line how often it turns between rising and falling, elsewhere unknowns that stand out above or
  /// below all their neighbours; by more than a billionth of the range.
  Index extrema = 0;
};

/// Of all ranks that share the balance, which call it together.
Shape shape_of(Discretization& balance, const State& y);

/// What is left of a pulse against what it was.
struct PulseLoss {
  /// Largest value over its surroundings (the median), and that at the start.
  Real height = 0, height_before = 0;
  /// Root of the second central moment of u − surroundings along each axis; on periodic axes the shortest way
  /// round. Not a number where u lies about as much below its surroundings as above them.
  std::array<Real, 3> width{0, 0, 0}, width_before{0, 0, 0};
};

PulseLoss pulse_loss(Discretization& balance, const State& before, const State& after);

}  // namespace williwaw::verify
