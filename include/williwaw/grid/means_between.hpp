// Values at other places of the same domain: from faces to cells, from cells to faces.
#pragma once

#include <vector>

#include "williwaw/grid/field.hpp"

namespace williwaw {

/// What unknowns at the places of one grid are at those of another of the same axes, by linear interpolation
/// between the two beside each place along every axis where they differ: of second order. Beyond the last
/// cell, on a side, the value of that cell stands.
class MeansBetween {
 public:
  /// Throws InputError for grids whose axes differ in more than where their unknowns are.
  MeansBetween(const Grid& to, const Grid& from);

  const Grid& to() const { return to_; }
  const Grid& from() const { return from_; }
  /// Both have their unknowns at the same places.
  bool same() const { return same_; }
  /// Those of line (j, k) of `to`, to().size(0) of them, from all values of `from`.
  void line(const Real* values, Index j, Index k, Real* out) const;
  Real at(const Real* values, Index i, Index j, Index k) const;
  /// All of them.
  std::vector<Real> all(std::span<const Real> values) const;
  /// Calls visit(number, weight) for the unknowns that make up the value at (i, j, k).
  template <class Visit>
  void each(Index i, Index j, Index k, const Visit& visit) const {
    for (const auto& [z, wz] : beside(2, k))
      for (const auto& [y, wy] : beside(1, j))
        for (const auto& [x, wx] : beside(0, i))
          if (wx * wy * wz != 0) visit(from_.number(x, y, z), wx * wy * wz);
  }

 private:
  struct Weighted {
    Index at = 0;
    Real weight = 0;
  };
  using Pair = std::array<Weighted, 2>;
  Pair beside(int axis, Index i) const {
    return along_[axis].empty() ? Pair{Weighted{i, 1}, Weighted{}}
                                : along_[axis][static_cast<std::size_t>(i)];
  }

  Grid to_, from_;
  bool same_ = true;
  std::array<std::vector<Pair>, 3> along_;  ///< by index; empty where both are alike
};

/// A field of unknowns on faces, at cells; values on sides where its halo knows them.
Field at_cells(const Field& field);

}  // namespace williwaw
