// Sections of the boundary: which faces each boundary has, once sides, parts and cut-outs are told apart.
#pragma once

#include "williwaw/grid/outline.hpp"
#include "williwaw/problem/problem.hpp"

namespace williwaw {

/// A face through which the domain meets its surroundings.
struct BoundaryFace {
  Index unknown = 0;
  int axis = 0;        ///< along which its normal is longest
  bool upper = false;  ///< the domain lies below it along that axis
  Real area = 0;
  Point place;
  Point normal;         ///< outward
  Real distance = 0;    ///< from the unknown along the normal; 0 where the unknown lies on the boundary
  bool on_side = true;  ///< on a side of the grid, not of a cut-out
};

/// Faces that share their conditions.
struct BoundarySection {
  std::string name;  ///< of the side, the region that was cut out, or the part
  std::string side;  ///< to which the part belongs; the name itself for whole sides
  Boundary boundary;
  std::vector<BoundaryFace> faces;  ///< in increasing order of unknowns

  Real area() const;
};

/// Sorts all faces of the boundary into sections: sides in the grid's order, cut-outs, parts. Where
/// boundaries hold a value the outline is shifted to them. Throws InputError that names a side on which faces
/// are left without a condition, or a part that has no face.
std::vector<BoundarySection> boundary_sections(const Problem& problem, Outline& outline);

}  // namespace williwaw
