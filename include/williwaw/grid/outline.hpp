// The outline of a domain from which regions are cut: what is left of every control volume and face, and the
// faces that are exposed.
#pragma once

#include <unordered_map>

#include "williwaw/grid/region.hpp"

namespace williwaw {

/// An exposed face of one control volume.
struct Facet {
  Index unknown = 0;
  int region = 0;  ///< number of the region that was cut away
  Real area = 0;
  Point centre;
  Point normal;       ///< outward, of length 1
  Real distance = 0;  ///< from the unknown to the facet along the normal; may be below 0 where the unknown's
                      ///< own place was cut away
  int axis = 0;       ///< along which the normal is longest
  bool straight = true;  ///< lies on a face of the grid
};

/// How much of the domain is left and exposed.
struct OutlineMeasure {
  Real domain = 0;            ///< length, area or volume of what is left
  std::vector<Real> cut;      ///< of what each region took
  std::vector<Real> exposed;  ///< of the faces that each region exposed
};

/// Outlines along faces of the grid are exact. Where a formula's outline crosses a control volume it is
/// replaced there by flat pieces between the points at which it crosses the edges of halved boxes: areas and
/// lengths are second-order accurate, and what a control volume's faces leave open closes with what is
/// exposed, so that a uniform flow along the outline stays one.
class Outline {
 public:
  /// Nothing is cut.
  Outline() = default;
  /// Cuts the regions that are not active. Throws InputError if nothing is left.
  Outline(const Grid& grid, const Regions& regions);

  bool whole() const { return state_.empty(); }
  bool active(Index n) const { return whole() || state_[n] != empty; }
  /// Nothing of control volume n was cut, nor of those beside it given to it.
  bool untouched(Index n) const { return whole() || state_[n] == full; }
  /// Number of control volumes that are left.
  Index active_count() const { return active_count_; }
  /// Active fraction of control volume n.
  Real volume_fraction(Index n) const;
  /// Share that is open of the face of n across an axis. 0 towards a control volume that is gone.
  Real open(Index n, int axis, bool upper) const;
  /// The same for the face between `below` and the unknown above it, for those who know both.
  Real open_between(Index below, Index above, int axis) const {
    if (whole() || (state_[below] == full && state_[above] == full)) return 1;
    if (state_[below] == empty || state_[above] == empty) return 0;
    const auto found = upper_[axis].find(below);
    return found == upper_[axis].end() ? 1 : found->second;
  }
  const std::vector<Facet>& facets() const { return facets_; }

  /// Takes away control volumes whose own place was cut away and whose facets are all prescribed at a value
  /// (`prescribed`, one entry for each facet): what would flow through them flows from their neighbours to
  /// the boundary, over the distance between the two along the grid (as in Shortley and Weller, 1938).
  void shift_to_boundaries(const std::vector<char>& prescribed);

  /// As cut, before anything was shifted.
  const OutlineMeasure& measure() const { return measured_; }
  /// Pieces of the domain that no open face joins: a number for each control volume, -1 for one that is gone.
  /// Returns how many there are.
  int pieces(std::vector<int>& piece) const;

 private:
  enum State : char { full, cut, empty };
  struct Builder;
  using Fractions = std::unordered_map<Index, Real>;

  Index neighbour(Index n, int axis, bool upper) const;
  Index largest_opening(Index n) const;
  void close(Index n);
  void give(Index from, Index to);
  void drop_slivers();

  std::vector<Axis> axes_;
  std::shared_ptr<const Regions> regions_;
  std::vector<State> state_;
  Index active_count_ = 0;
  Fractions fractions_;  ///< of cut control volumes
  std::array<Fractions, 3> upper_,
      low_;  ///< of faces that are neither open nor closed; low ones on sides only
  std::vector<Facet> facets_;
  OutlineMeasure measured_;
};

}  // namespace williwaw
