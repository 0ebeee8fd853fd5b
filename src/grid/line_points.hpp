// Where the unknowns of a line are, line after line.
#pragma once

#include <algorithm>

#include "williwaw/grid/grid.hpp"

namespace williwaw {

/// Coordinates along the lines are the same for all of them and filled in once. The grid must outlive it.
class LinePoints {
 public:
  explicit LinePoints(const Grid& grid) : grid_(&grid), points_(grid.size(0)) {
    for (Index i = 0; i < grid.size(0); ++i) points_.set(i, grid.point(i));
  }
  /// Of line (j, k), until the next call.
  const Points& at(Index j, Index k) {
    for (int a = 1; a < grid_->dimension(); ++a) {
      const int direction = grid_->direction(a);
      std::vector<Real>& coordinate = points_.coordinate(direction);
      if (const Real value = grid_->point(0, j, k)[direction]; coordinate.front() != value)
        std::ranges::fill(coordinate, value);
    }
    return points_;
  }

 private:
  const Grid* grid_;
  Points points_;
};

}  // namespace williwaw
