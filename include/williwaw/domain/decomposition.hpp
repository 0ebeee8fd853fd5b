// How a grid is shared out: a box of it for each rank.
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>

#include "williwaw/domain/communicator.hpp"
#include "williwaw/grid/grid.hpp"
#include "williwaw/grid/region.hpp"

namespace williwaw {

/// How many cells explicit sweeps go through in some lines along the first axis: lines in which nothing takes
/// part are passed over, others are gone through from end to end.
class CellsAtWork {
 public:
  CellsAtWork(const Grid& grid, const Regions& regions);

  /// In lines of these rows and planes.
  Index count(Index first_row, Index end_row, Index first_plane, Index end_plane) const {
    return before(end_row, end_plane) - before(first_row, end_plane) - before(end_row, first_plane) +
           before(first_row, first_plane);
  }
  Index rows() const { return rows_; }
  Index planes() const { return planes_; }

 private:
  Index before(Index row, Index plane) const {
    return before_[static_cast<std::size_t>(row + (rows_ + 1) * plane)];
  }
  Index rows_, planes_;
  std::vector<Index> before_;  ///< cells in all rows and planes before
};

/// So many boxes along each axis, box after box along the first axis first, and where they begin.
class Decomposition {
 public:
  /// One box of everything.
  Decomposition() = default;
  /// Boxes as equal as intervals allow, or as the work in the layers along each axis allows where that is
  /// known; along the first axis they end where segments of sums do. Each has a halo of so many intervals on
  /// sides that it shares with another one, along the first axis a whole segment. Throws InputError,
  /// with what would be possible, where a box would be narrower than a halo, and for boxes along an axis that
  /// cannot be cut.
  Decomposition(const Grid& grid, const std::array<int, 3>& boxes, int halo,
                std::shared_ptr<const CellsAtWork> at_work = nullptr);

  /// For so many ranks, or as many of them as the grid allows: the fewest cells in the largest box, and of
  /// these the least surface between boxes. Lines along the first axis are cut only if that is asked for.
  static Decomposition choose(const Grid& grid, int ranks, int halo, bool cuts_lines = false,
                              std::shared_ptr<const CellsAtWork> at_work = nullptr);

  /// The same boxes with halos that reach so much further, or as far as boxes have room for without going
  /// through much more than their own: for passes of several steps, which exchange them once.
  Decomposition reaching(int further) const;

  const std::array<int, 3>& boxes() const { return boxes_; }
  int count() const { return boxes_[0] * boxes_[1] * boxes_[2]; }
  int halo() const { return halo_; }
  int further() const { return further_; }
  /// Place of a box among the others along each axis, and the box at a place.
  std::array<int, 3> place(int box) const {
    return {box % boxes_[0], box / boxes_[0] % boxes_[1], box / (boxes_[0] * boxes_[1])};
  }
  int box(const std::array<int, 3>& place) const {
    return place[0] + boxes_[0] * (place[1] + boxes_[1] * place[2]);
  }
  /// Its intervals along an axis, halo included: across the seam of a periodic one that is cut.
  Axis::Extent extent(int axis, int place) const;
  /// The part of a grid that a box has, on whichever of its places unknowns are.
  Grid part(const Grid& grid, int box) const;
  /// Cells of a box's own, those in lines where nothing takes part left out where that is known.
  Index cells(int box) const;
  /// Values of one unknown that a box sends in an exchange.
  Index sent(int box) const;

 private:
  std::vector<int> unlike_places(int axis) const;
  Index gone_through(int box) const;
  void place_starts(const Grid& grid, int axis);

  std::array<int, 3> boxes_{1, 1, 1};
  int halo_ = 1, further_ = 0;
  std::array<std::vector<Index>, 3> starts_;         ///< boxes + 1 along each axis
  std::array<bool, 3> around_{false, false, false};  ///< cut, and periodic
  std::shared_ptr<const CellsAtWork> at_work_;
};

}  // namespace williwaw
