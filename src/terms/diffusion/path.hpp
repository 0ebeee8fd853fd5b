// Resistances along paths: ∫ ds/k between two unknowns, with the contacts between materials crossed on the
// way.
#pragma once

#include "williwaw/grid/grid.hpp"
#include "williwaw/problem/equation.hpp"

namespace williwaw {

/// A stretch of a path across one half of a face's neighbourhood: from an unknown to the face, or on from the
/// face to the next unknown. Two Gauss points each stand for half of its weight ∫ ds/area.
struct HalfPath {
  Real from, to;
  std::array<Real, 2> gauss;
  std::array<Real, 2> weight;
};

/// The halves of the paths through every face of an axis; entry f lists one or two. Boundaries have one.
std::vector<std::vector<HalfPath>> half_paths(const Axis& axis);

/// Where a straight line changes from one label to another.
struct Change {
  Real fraction;  ///< of the way
  int before, after;
};

/// All changes of label between two places, found on `looks` equal steps and then by bisection.
std::vector<Change> changes(const Regions& regions, const Point& from, const Point& to, int samples = 8);

/// What the contacts between two labels add to the resistance of a unit of area.
Real contact_between(const Equation& equation, int first, int second);

}  // namespace williwaw
