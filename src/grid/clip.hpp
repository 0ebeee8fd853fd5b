// What is left of a box, or of a face of one, when a part of it is cut away: measured on simplices whose
// edges are cut by bisection, so that only a test of single places is needed.
#pragma once

#include <array>
#include <functional>

#include "williwaw/grid/types.hpp"

namespace williwaw::clip {

using Vector = std::array<Real, 3>;
/// True for places that are kept.
using Keep = std::function<bool(const Vector&)>;
/// Area or volume of a unit at a place: 1, or that of the turn in round coordinates.
using Weight = std::function<Real(const Vector&)>;

/// What is left of a box, and the cut surface.
struct Rest {
  Real measure = 0;       ///< length, area or volume
  Real cut = 0;           ///< of the surface: its points, length or area
  Vector normal{};        ///< Σ area times direction, from what is kept to what is not
  Vector first_moment{};  ///< Σ area times place
};

/// The box from `low` to `high` in the first `dimension` directions. Corners are looked at a little inside the
/// box, so that an outline that runs along a face belongs to neither side.
Rest box(int dimension, const Vector& low, const Vector& high, const Keep& keep, const Weight& weight);

/// Area left of the box's face across `axis`, looked at from inside the box.
Real face(int dimension, const Vector& low, const Vector& high, int axis, bool upper, const Keep& keep,
          const Weight& weight);

}  // namespace williwaw::clip
