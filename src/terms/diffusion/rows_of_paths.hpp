// Paths through faces that lie side by side in memory, where coefficients vary in place and time alone.
#pragma once

#include "terms/diffusion/path.hpp"

namespace williwaw {

/// Nothing needs to diffuse where something is advected.
inline bool may_be_still(const Equation& equation) {
  return equation.may_be_still || equation.advection.has_value();
}

/// Resistances ∫ ds/(k·area) of rows of paths along one axis: all faces along a line of x, or the faces
/// across another axis that stand beside each other along x, one for each piece of the control volumes there.
/// What conducts is looked at in the Gauss points of a whole row at once.
class RowsOfPaths {
 public:
  RowsOfPaths(const Grid& grid, int axis, const Function& k, const Equation& equation,
              const Regions& regions);
  RowsOfPaths(const RowsOfPaths&) = delete;
  RowsOfPaths& operator=(const RowsOfPaths&) = delete;

  /// Rows with numbers from `first` on follow, at these coordinates across; along x there is one, number 0.
  /// Throws DataError where nothing conducts.
  void start(Index first, const Point& across, Real time);
  /// Resistances of the next row; entries where there is no path are 0. areas[f] is that of the faces across
  /// the axis at bound f. Valid until the next call.
  std::span<const Real> next(std::span<const Real> areas);

  /// Of the faces of a row: unknown along x that each belongs to, and what a piece measures there; along x
  /// the number of the face, and 1.
  std::span<const Index> owners() const { return owners_; }
  std::span<const Real> measures() const { return measures_; }

 private:
  // Gauss points of one row, half by half, two each: where they are, what conducts, in which material.
  struct Row {
    std::array<std::vector<Real>, 4> values;
    std::array<std::vector<int>, 4> labels;
    std::array<std::vector<char>, 2> plain;  // halves that lie in one material, with all around them
    std::vector<int> last;                   // labels at the end of the path
  };

  bool along_x() const { return axis_ == 0; }
  Index entries() const { return static_cast<Index>(owners_.size()); }
  Index face_of(Index entry) const { return along_x() ? entry : face_; }
  void look(Index face, Row& row);
  void find_plain(Index face);
  void step_on();
  void add_slow(Index entry, Real area);
  int label_at(Index entry, const HalfPath& h, Real fraction) const;
  Real through_materials(Index entry, const HalfPath& h, Real area) const;
  Point place_of(Index entry) const;

  const Grid& grid_;
  int axis_, direction_;
  const Function& k_;
  const Equation& equation_;
  const Regions& regions_;
  std::vector<std::vector<HalfPath>> halves_;
  bool by_region_ = false, by_table_ = false, checked_ = true;
  std::vector<Real> table_;
  std::vector<Index> owners_;
  std::vector<Real> measures_, along_;  // centres of pieces along x
  std::array<std::vector<Real>, 4> weights_, gauss_;
  Points places_;
  Point across_;
  Real time_ = 0;
  Index face_ = 0;
  std::array<Row, 3> rows_;
  Row *before_ = &rows_[0], *own_ = &rows_[1], *after_ = &rows_[2];
  std::vector<Real> sums_;
};

}  // namespace williwaw
