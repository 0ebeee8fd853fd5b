// Means of a coefficient that depends on the unknown, between two neighbours.
#pragma once

#include <string>
#include <vector>

#include "williwaw/problem/unknown_integral.hpp"

namespace williwaw {

/// What is known of a piece of the path between two unknowns, of one material: both unknowns, the coefficient
/// of that material at both and its derivatives.
struct FaceSides {
  struct Value {
    Real u, coefficient, slope;
  };
  Value low, high;
  bool beside_low = true;                     ///< the piece lies on the low unknown's half of the path
  bool upwards = true;                        ///< the flow goes from low to high
  const UnknownIntegral* integral = nullptr;  ///< of the coefficient; null where it cannot be had
};

/// A mean and its derivatives by both unknowns.
struct FaceMean {
  Real value = 0, by_low = 0, by_high = 0;
};

struct FaceMeanKind {
  std::string name;
  std::string title;  ///< how `check` writes it
  bool needs_integral = false;
  FaceMean (*of)(const FaceSides&) = nullptr;
};

/// Every mean there is.
const std::vector<FaceMeanKind>& face_mean_kinds();
/// Throws InputError for a name that is not there.
const FaceMeanKind& face_mean_kind(const std::string& name);

}  // namespace williwaw
