// One axis of a grid: the faces that divide it, the unknowns along it and the control volume of each.
#pragma once

#include <cmath>
#include <memory>
#include <optional>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Where unknowns live along an axis: at the centres of cells, or at grid points with both boundaries
/// included.
enum class Unknowns { cells, nodes };

/// What lengths along the axes mean: plain lengths, a distance from an axis (r and z), or from a centre (r).
enum class Coordinates { cartesian, cylindrical, spherical };

/// Rows of unknowns along an axis, from the first to the one before `end`.
struct RowRange {
  Index first = 0, end = 1;
  Index count() const { return end - first; }
  bool operator==(const RowRange&) const = default;
};

/// An axis divided by faces into intervals of any length.
///
/// With unknowns at cells each interval is a control volume. With unknowns at nodes each face carries an
/// unknown, and control volumes reach half-way to the neighbours, so that a boundary node owns half an
/// interval. A periodic axis joins its end to its start; with nodes the last face is a copy of the first.
class Axis {
 public:
  /// A part of a control volume that lies within one interval: where its middle is and how long it is.
  struct Piece {
    Real centre;
    Real width;
  };

  /// `name` is "x", "y" or "z", or "r" for an axis made by radial(); `faces` are increasing positions, two at
  /// least. Throws InputError.
  Axis(std::string name, std::vector<Real> faces, Unknowns unknowns, bool periodic = false);

  /// `intervals` equal intervals between `from` and `to`. Throws InputError.
  static Axis uniform(std::string name, Real from, Real to, Index intervals, Unknowns unknowns,
                      bool periodic = false);

  /// The distance r from an axis (cylindrical) or a centre (spherical). Areas and volumes are those of the
  /// whole turn: 2πr for each unit of z, or 4πr². Faces must not lie below 0. Throws InputError.
  static Axis radial(Coordinates coordinates, std::vector<Real> faces, Unknowns unknowns);

  /// The same axis with its unknowns there.
  Axis with(Unknowns unknowns) const;

  /// Some intervals of an axis, of which those from own_first to own_end - 1 are a box's own and the others
  /// its halo. That reaches across the seam of a periodic axis: `first` may lie below 0, or `end` beyond the
  /// number of intervals.
  struct Extent {
    Index first = 0, end = 0;
    Index own_first = 0, own_end = 0;
  };
  /// These intervals of an axis, with the very numbers that they have there: positions, widths, gaps,
  /// measures. What ends within the whole axis has no side there. A part of a periodic axis is periodic:
  /// where it reaches across the seam, what lies below and above that stand at its ends, and an unknown
  /// between them, of a wrong width at cells, stands for all that is left out.
  Axis part(const Extent& extent) const;
  bool is_part() const { return whole_ != nullptr; }
  /// The axis that this one is a part of; itself where it is whole.
  const Axis& whole() const { return whole_ ? *whole_ : *this; }
  /// The intervals of the whole axis that it has.
  const Extent& extent() const { return extent_; }
  /// What is to be added to the number here of an unknown of the box's own to have the one along the whole
  /// axis, and which unknowns, from own_first() to own_end() - 1, are these.
  Index first() const { return own_below_seam() ? 0 : beyond_head_; }
  Index own_first() const { return extent_.own_first - first(); }
  Index own_end() const;
  /// Number along the whole axis of an unknown here, and of one there here; nothing for those left out.
  Index there(Index here) const { return here < head_ ? here : here + beyond_head_; }
  std::optional<Index> here(Index there) const;
  /// Unknowns of the halo below or above the box's own.
  RowRange halo(bool upper) const;
  /// It ends where the whole axis does.
  bool ends(bool upper) const { return upper ? extent_.end == whole().intervals() : extent_.first == 0; }

  const std::string& name() const { return name_; }
  Unknowns unknowns() const { return unknowns_; }
  bool periodic() const { return periodic_; }
  /// All intervals alike, to a few units in the last place, and all as large: not so along r.
  bool is_uniform() const { return uniform_ && power_ == 0; }
  /// All intervals alike, to a few units in the last place.
  bool is_evenly_spaced() const { return uniform_; }
  Coordinates coordinates() const {
    return power_ == 0   ? Coordinates::cartesian
           : power_ == 1 ? Coordinates::cylindrical
                         : Coordinates::spherical;
  }
  /// The axis starts at r = 0, where there is no boundary.
  bool starts_at_centre() const { return power_ > 0 && from() == 0; }

  Real from() const { return lines_->faces.front(); }
  Real to() const { return lines_->faces.back(); }
  Real length() const { return to() - from(); }

  Index intervals() const { return static_cast<Index>(lines_->faces.size()) - 1; }
  /// Number of unknowns along the axis.
  Index size() const { return static_cast<Index>(lines_->points.size()); }

  /// intervals() + 1 positions that divide the axis.
  std::span<const Real> faces() const { return lines_->faces; }
  /// size() positions of the unknowns.
  std::span<const Real> points() const { return lines_->points; }
  /// size() + 1 ends of the control volumes. On a periodic axis with nodes the first lies before from().
  std::span<const Real> bounds() const {
    return unknowns_ == Unknowns::cells ? lines_->faces : lines_->bounds;
  }
  /// size() lengths of the control volumes.
  std::span<const Real> widths() const { return lines_->widths; }
  /// size() + 1 distances: entry i lies between unknown i-1 and unknown i. The first and last are the
  /// distances from the end unknowns to their boundaries (0 at nodes), or the distance across the seam.
  std::span<const Real> gaps() const { return lines_->gaps; }

  /// Area of a face across the axis at `position`, for each unit of the other axes: 1, or that of the turn.
  Real area(Real position) const;
  /// ∫ area ds from a to b.
  Real measure(Real a, Real b) const;
  /// ∫ ds/area from a to b, for a flow that crosses `face` between them. In a shell this makes ln r and 1/r
  /// exact. Where the axis starts at r = 0 the area is that of the face, which makes r² exact, as solutions
  /// are beside the centre.
  Real resistance(Real a, Real b, Real face) const;
  /// size() measures of the control volumes: widths(), or what they hold of the turn.
  std::span<const Real> measures() const { return power_ == 0 ? lines_->widths : lines_->measures; }
  /// size() + 1 resistances of the gaps: gaps() where the area is 1.
  std::span<const Real> resistances() const { return power_ == 0 ? lines_->gaps : lines_->resistances; }

  /// The control volume of unknown `i`, split where it crosses from one interval into the next.
  std::vector<Piece> pieces(Index i) const;
  /// `position` brought back into [from, to) on a periodic axis; unchanged on any other.
  Real wrap(Real position) const {
    const Axis& all = whole();
    if (!periodic_ || (position >= all.from() && position < all.to())) return position;
    return position - std::floor((position - all.from()) / all.length()) * all.length();
  }

 private:
  struct Lines {
    std::vector<Real> faces, points, widths, gaps;
    std::vector<Real> bounds;                 ///< of nodes; those of cells are the faces
    std::vector<Real> measures, resistances;  ///< along r; elsewhere widths and gaps
  };

  bool own_below_seam() const { return extent_.first < 0; }
  Axis part_around(const Extent& extent) const;
  Axis part_of(const Extent& extent, Index head, Index tail, Index end) const;
  void place_cells();
  void place_nodes();
  void even_out(Real spacing);
  void measure_turn();

  std::string name_;
  Unknowns unknowns_;
  bool periodic_;
  bool uniform_ = false;
  int power_ = 0;  ///< of r in the area
  /// Shared by all copies of an axis, and never changed once it is made.
  std::shared_ptr<Lines> lines_;
  std::shared_ptr<const Axis> whole_;  ///< of a part
  Extent extent_;
  /// Of a part: unknowns from the start of the whole axis on that stand before the others, and what the
  /// numbers of the others here lie below those there.
  Index head_ = 0, beyond_head_ = 0;
};

}  // namespace williwaw
