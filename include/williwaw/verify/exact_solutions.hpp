// Exact solutions that have names: bodies that cool through their surface, a half-space, flow that starts up.
#pragma once

#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw::verify {

/// A body that starts at 1 and exchanges with surroundings at 0 through its surface (Carslaw and Jaeger,
/// 1959): Σ Cₙ·fₙ(ζₙ·s)·exp(−ζₙ²·Fo), ζₙ the roots of the surface's condition.
class CoolingBody {
 public:
  enum class Shape { slab, cylinder, sphere };

  /// `biot` = coefficient·length/conductivity with the distance from the middle to the surface as length;
  /// infinity where the surface is prescribed. Throws InputError unless it is above zero.
  CoolingBody(Shape shape, Real biot, int terms = 80);

  /// At `position` from 0 (the middle, or the insulated side of a slab) to 1 (the surface) and Fourier number
  /// diffusivity·time/length².
  Real operator()(Real position, Real fourier) const;
  const std::vector<Real>& roots() const { return roots_; }

 private:
  Shape shape_;
  std::vector<Real> roots_, weights_;
};

/// A half-space that starts at 1, its surface exchanging with surroundings at 0 (Carslaw and Jaeger, 1959):
/// at depth x, `spread` = √(diffusivity·time), `exchange` = coefficient/conductivity (infinity: prescribed).
Real half_space(Real depth, Real spread, Real exchange);

/// Flow between two plates, or anything else between two prescribed boundaries, from rest: boundaries at
/// `low` and `high`, driven by `drive` = force·length²/diffusivity, starting at `start` everywhere.
/// `position` and `fourier` as above, over the whole distance.
Real started_flow(Real position, Real fourier, Real low, Real high, Real data_bounds, Real start = 0);

}  // namespace williwaw::verify
