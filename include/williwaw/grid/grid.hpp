// A grid: one to three axes, the unknowns they carry, and the sides of the domain.
#pragma once

#include <array>
#include <optional>

#include "williwaw/grid/axis.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

/// One end of one axis. `axis` counts from 0 within the grid, `upper` is the far end.
struct Side {
  int axis = 0;
  bool upper = false;

  int number() const { return 2 * axis + (upper ? 1 : 0); }
  bool operator==(const Side&) const = default;
};

/// Numbers, axes and sides that are asked for are those of the grid.
///
/// A rectangular domain of dimension 1 to 3, or one of r, or r and z. Unknown (i, j, k) has number i +
/// size(0)·(j
/// + size(1)·k).
class Grid {
 public:
  /// Axes in the order x, y, z; a problem may leave some out (z alone, or x and z). An axis r stands first
  /// and allows for z beside it, if it is cylindrical. Unknowns at nodes of one axis and at cells of the
  /// others are those on the faces of cells normal to that axis; at nodes of two axes, of three, they stand
  /// on edges. Throws InputError.
  explicit Grid(std::vector<Axis> axes);

  int dimension() const { return static_cast<int>(axes_.size()); }
  /// All axes have them at cells, or all at nodes.
  bool is_at_one_place() const;
  /// Of grids at one place.
  Unknowns unknowns() const {
    expect(is_at_one_place(), "Grid::unknowns: all at cells, or all at nodes");
    return axes_.front().unknowns();
  }
  /// The same domain and intervals with unknowns at the cells, or on the faces normal to axis `a`.
  Grid at_cells() const;
  Grid on_faces(int a) const;
  /// A part of it: these intervals of its axes, one entry for each (`Axis::part`). Axes of which it has all
  /// stay as they are.
  Grid part(std::span<const Axis::Extent> extents) const;
  bool is_part() const;
  /// The grid that this one is a part of; the same where it is whole.
  Grid whole() const;
  const Axis& axis(int a) const { return axes_[a]; }
  /// Number of unknowns along axis `a`, 1 for an axis that the grid does not have.
  Index size(int a) const { return a < dimension() ? axes_[a].size() : 1; }
  Index count() const { return size(0) * size(1) * size(2); }
  /// Number of lines along the first axis.
  Index lines() const { return size(1) * size(2); }
  Index number(Index i, Index j = 0, Index k = 0) const { return i + size(0) * (j + size(1) * k); }
  std::array<Index, 3> position(Index number) const;
  /// How far the numbers of neighbours along axis `a` lie apart.
  Index stride(int a) const { return a == 0 ? 1 : a == 1 ? size(0) : size(0) * size(1); }
  /// Number of the neighbour of unknown `n` along axis `a`, across the seam where that is periodic; −1 beyond
  /// a side.
  Index neighbour(Index n, int a, bool upper) const {
    const Index along = n / stride(a) % size(a);
    if (upper ? along + 1 < size(a) : along > 0) return upper ? n + stride(a) : n - stride(a);
    if (!axes_[a].periodic()) return -1;
    return upper ? n - along * stride(a) : n + (size(a) - 1) * stride(a);
  }

  /// Which coordinate axis `a` runs along: 0 for x (and r), 1 for y, 2 for z.
  int direction(int a) const { return axes_[a].name() == "r" ? 0 : axes_[a].name()[0] - 'x'; }
  Point point(Index i, Index j = 0, Index k = 0) const;
  Point point_of(Index number) const;
  /// Length, area or volume of a control volume (per unit of the axes that are not there).
  Real volume(Index i, Index j = 0, Index k = 0) const;
  Real volume_of(Index number) const;
  /// Length, area or volume of the whole domain.
  Real volume() const;

  /// Of how many lengths a volume is the product: the dimension, and those that the full angle adds.
  int volume_dimension() const;

  /// The sides, west first: two for each axis, but none where r = 0.
  std::vector<Side> sides() const;
  std::string side_name(Side side) const;
  std::optional<Side> side(const std::string& name) const;
  /// Unknowns that touch a side, in increasing order; none where a part does not reach it.
  std::vector<Index> unknowns_at(Side side) const;
  /// Area of one control volume's face on a side (1 in 1-D).
  Real boundary_area(Side side, Index unknown) const;
  /// Where those faces are: on the boundary, at the unknowns' other coordinates.
  Points boundary_points(Side side) const;
  /// Total area of a side (1 in 1-D).
  Real side_area(Side side) const;

  /// "x = 0.1, y = 0.2", for messages.
  std::string place_text(const Point& place) const;

  /// The unknown whose control volume holds `place`; throws InputError for a place outside.
  Index containing(const Point& place) const;

  bool operator==(const Grid& other) const;

 private:
  std::vector<Axis> axes_;
};

}  // namespace williwaw
