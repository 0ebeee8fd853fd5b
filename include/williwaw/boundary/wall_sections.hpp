// Sections of the boundary: which faces each wall has, once sides, parts and cut-outs are told apart.
#pragma once

#include "williwaw/grid/outline.hpp"
#include "williwaw/problem/problem.hpp"

namespace williwaw {

/// A face through which the domain meets its surroundings.
struct WallFace {
  Index unknown = 0;
  int axis = 0;        ///< along which its normal is longest
  bool upper = false;  ///< the domain lies below it along that axis
  Real area = 0;
  Point place;
  Point normal;         ///< outward
  Real distance = 0;    ///< from the unknown along the normal; 0 where the unknown lies on the wall
  bool on_side = true;  ///< on a side of the grid, not of a cut-out
};

/// Faces that share their conditions.
struct WallSection {
  std::string name;  ///< of the side, the region that was cut out, or the part
  std::string side;  ///< to which the part belongs; the name itself for whole sides
  Wall wall;
  std::vector<WallFace> faces;  ///< in increasing order of unknowns

  Real area() const;
};

/// Sorts all faces of the boundary into sections: sides in the grid's order, cut-outs, parts. Where walls
/// hold a value the outline is shifted to them. Throws InputError that names a side on which faces are left
/// without a condition, or a part that has no face.
std::vector<WallSection> wall_sections(const Problem& problem, Outline& outline);

}  // namespace williwaw
