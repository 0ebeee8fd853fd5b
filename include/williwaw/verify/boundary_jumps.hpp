// Corners and ends of boundary parts at which two different values are prescribed side by side.
#pragma once

#include "williwaw/terms/discretization.hpp"

namespace williwaw::verify {

/// A place at which prescribed values jump along the boundary. The flux density beside it goes with
/// 1/distance, so that the flow through each of the two boundaries has no limit as the spacing goes to zero:
/// it grows with the logarithm of 1/spacing (Carslaw and Jaeger, 1959).
struct BoundaryJump {
  std::size_t first = 0, second = 0;  ///< sections, as in Discretization::closures(); may be the same
  Point place;
  Real first_value = 0, second_value = 0;
};

/// The largest jump of each pair of sections that meet, looked for at seven times between `start` and `end`:
/// prescribed values of equations of first order in time, where something diffuses, on domains of two axes
/// or more. Differences below 1e-9 of the largest prescribed value, of either sign, are none.
std::vector<BoundaryJump> boundary_jumps(const Discretization& balance, Real start, Real end);

}  // namespace williwaw::verify
