// Values between unknowns, cubic along each axis, at a place for each unknown that is looked up once and read
// from many states.
#pragma once

#include <vector>

#include "williwaw/grid/grid.hpp"

namespace williwaw {

/// The four unknowns along each axis around a place, of which none lies across a seam or beyond a boundary.
class CubicStencils {
 public:
  explicit CubicStencils(const Grid& grid);

  /// There are four unknowns along each axis.
  bool usable() const;
  /// Room for a place for each unknown of the grid.
  void make_room();
  bool has_room() const { return !corner_.empty(); }
  /// The first of the four unknowns along an axis around a position in control volume `cell` of it; -1 where
  /// they are not all there.
  Index first_of_four(int axis, Index cell, Real position) const;
  /// Places unknown n at a position along each axis with the first of four unknowns there.
  void place(Index n, const std::array<Index, 3>& first, const std::array<Real, 3>& position);
  /// Unknown n has no place of its own: what `read` gives it is of no account.
  void leave(Index n) { corner_[static_cast<std::size_t>(n)] = 0; }
  /// out[i] = Lagrange's cubic through the four unknowns along each axis at the place of unknown i of a line,
  /// within the range of the two nearest along each axis.
  void read(Index line, const Real* y, Real* out) const;

 private:
  const Grid& grid_;
  std::vector<Index> corner_;  ///< number of the first unknown of the stencil
  /// Of each axis: the position between the second and the third unknown, from 0 to 1 where the axis is
  /// uniform; else the position itself, and the first unknown.
  std::array<std::vector<Real>, 3> position_;
  std::array<std::vector<Index>, 3> first_;
};

}  // namespace williwaw
