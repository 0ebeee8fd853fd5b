// A field: values on a grid together with one layer of values beyond the boundaries, which knows how to
// sample, measure and integrate itself.
#pragma once

#include <functional>

#include "williwaw/grid/expect.hpp"
#include "williwaw/grid/grid.hpp"

namespace williwaw {

/// Sizes of a field or of a difference: volume-weighted mean magnitude, root mean square, largest magnitude.
struct Norms {
  Real l1 = 0;
  Real l2 = 0;
  Real max = 0;
  /// Where the largest magnitude is.
  Index where = 0;
};

/// One value for each unknown of a grid, and a halo one value deep on each side.
///
/// With unknowns at cells the halo value of a boundary lies as far outside as the first unknown lies inside,
/// and the mean of both is the boundary's own value; it is what lets `sample` reach up to the boundary. With
/// unknowns at nodes the boundary carries an unknown itself; its halo lies one spacing beyond it. A field
/// says whether its halo is known
/// (`knows_beyond`: from a function, or from boundaries) or repeats the nearest value: then sampling goes on
/// linearly from inside, and derivatives on sides are one-sided. Where the domain is cut out the value is not
/// a number, and samples, sums and measures leave it out.
class Field {
 public:
  explicit Field(Grid grid, Real value = 0);
  /// `values` has one entry for each unknown of the grid, in the grid's order. The halo repeats the nearest.
  Field(Grid grid, std::span<const Real> values);

  const Grid& grid() const { return grid_; }
  Index size() const { return grid_.count(); }

  /// Value of unknown (i, j, k); an index one outside the grid along an axis that it has reads the halo.
  Real at(Index i, Index j = 0, Index k = 0) const { return data_[offset(i, j, k)]; }
  Real& at(Index i, Index j = 0, Index k = 0) { return data_[offset(i, j, k)]; }
  Real operator[](Index number) const;
  Real& operator[](Index number);
  /// All values without the halo, in the grid's order.
  std::vector<Real> values() const;
  void assign(std::span<const Real> values);

  /// Everything that is kept, halo included, to be written down and put back bit by bit.
  std::span<const Real> raw() const { return data_; }
  /// How many values that is.
  static std::size_t raw_size(const Grid& grid);
  /// Throws InputError for another number of values than `raw` has.
  void set_raw(std::span<const Real> data);

  /// Says that these places are cut out of the domain; fills the halo anew.
  void leave_out(std::span<const Index> numbers);
  bool is_left_out(Index number) const {
    return !left_out_.empty() && left_out_[static_cast<std::size_t>(number)] != 0;
  }

  /// Fills the halo by repeating the nearest value (corners included), or across the seam: what lies beyond
  /// is unknown.
  void extend();
  /// The halo beyond sides holds values that are known, not repeated ones.
  bool knows_beyond() const { return knows_beyond_; }
  void set_knows_beyond(bool known) { knows_beyond_ = known; }
  /// Where the halo value beside an end of an axis lies; index -1 or size.
  Real place_beyond(int axis, bool upper) const;

  /// Fills the halo beyond edges and corners by going on linearly from the halo of the sides.
  void extend_corners();

  /// What a boundary itself has beside an unknown at its side: with unknowns at cells the mean of the halo and
  /// the value inside.
  Real on_boundary(const std::array<Index, 3>& at, Side side) const;

  /// Linear interpolation at a place within the domain; throws InputError for one outside.
  Real sample(const Point& place) const;

  Real lowest() const;
  Real highest() const;
  Real integral() const;
  Real mean() const;
  Norms norms() const;
  /// Norms of this field less `reference`, taken at the unknowns.
  Norms difference(const std::function<Real(const Point&)>& reference) const;
  /// Norms of this field less another one on the same grid; throws InputError if the grids differ.
  Norms difference(const Field& other) const;

 private:
  Index offset(Index i, Index j, Index k) const {
    expect(i >= -1 && i <= grid_.size(0) && j >= -depth_[1] && j < grid_.size(1) + depth_[1] &&
               k >= -depth_[2] && k < grid_.size(2) + depth_[2],
           "Field::at: an unknown of the grid, or one beside it");
    return (i + 1) + pitch_ * ((j + depth_[1]) + rows_ * (k + depth_[2]));
  }
  Norms measure(const std::function<Real(Index)>& value) const;

  Grid grid_;
  std::array<Index, 3> depth_{1, 0, 0};
  Index pitch_ = 0;
  Index rows_ = 1;
  std::vector<Real> data_;
  std::vector<char> left_out_;
  bool knows_beyond_ = false;
};

}  // namespace williwaw
