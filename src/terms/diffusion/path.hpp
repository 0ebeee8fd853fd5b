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

/// Number of face i of line (j, k) across an axis among all faces across it, x fastest: size + 1 along the
/// axis.
Index face_number(const Grid& grid, int axis, Index i, Index j, Index k);

/// The pieces of unknown i along an axis, and what one of them measures; an axis that is not there has one
/// piece of measure 1.
std::vector<Axis::Piece> pieces_across(const Grid& grid, int axis, Index i);
Real measure_across(const Grid& grid, int axis, const Axis::Piece& piece);

/// Where a straight line changes from one label to another.
struct Change {
  Real fraction;  ///< of the way
  int before, after;
};

/// All changes of label between two places, found on `looks` equal steps and then by bisection.
std::vector<Change> changes(const Regions& regions, const Point& from, const Point& to, int samples = 8);

/// Calls piece(begin, end, label) for every stretch of a straight line in one material, from and to fractions
/// of the way. `regions` may be null: one material everywhere.
template <class Piece>
void each_material(const Regions* regions, const Point& from, const Point& to, const Piece& piece) {
  if (!regions || regions->size() == 0) {
    piece(0.0, 1.0, 0);
    return;
  }
  const auto found = changes(*regions, from, to);
  Real start = 0;
  for (const Change& c : found) {
    piece(start, c.fraction, c.before);
    start = c.fraction;
  }
  // A little before the end, so that one on an interface belongs to the path.
  Point inside;
  for (int s = 0; s < 3; ++s) inside[s] = from[s] + (1 - 1e-7) * (to[s] - from[s]);
  piece(start, 1.0, found.empty() ? regions->label(inside) : found.back().after);
}

/// What the contacts between two labels add to the resistance of a unit of area.
Real contact_between(const Equation& equation, int first, int second);

}  // namespace williwaw
