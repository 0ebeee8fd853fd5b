// A problem: an equation on a grid, what acts on its walls and how it starts. This one declaration is what
// runs and what the analysis reads.
#pragma once

#include "williwaw/grid/field.hpp"
#include "williwaw/problem/equation.hpp"
#include "williwaw/problem/wall.hpp"

namespace williwaw {

class Problem {
 public:
  Problem(Grid grid, Equation equation) : grid_(std::move(grid)), equation_(std::move(equation)) {}

  const Grid& grid() const { return grid_; }
  const Equation& equation() const { return equation_; }

  /// Initial value of the unknown.
  Function initial = 0.0;

  /// Says what acts on the side called `name` ("west", "top", ..). Throws InputError for a side that the grid
  /// does not have or that belongs to a periodic axis.
  Problem& wall(const std::string& name, Wall wall);
  /// Says the same for every side that nothing was said of and that is not periodic.
  Problem& other_walls(const Wall& wall);

  const Wall& wall(Side side) const { return walls_[side.number()]; }
  bool periodic(Side side) const { return grid_.axis(side.axis).periodic(); }

  /// Throws InputError that names a side without a condition, or a coefficient that cannot be used.
  void validate() const;

 private:
  Grid grid_;
  Equation equation_;
  std::array<Wall, 6> walls_;
};

}  // namespace williwaw
