// Which rows of a level of the hierarchy are whose, where several ranks share it.
#pragma once

#include "williwaw/domain/box.hpp"

namespace williwaw {

/// Levels have the rows of a box as long as each rank has many of its own, with a halo of the rows beside
/// them; below, every rank has everything and does the same. A pair of rows belongs to the rank that has the
/// first of them. Rows are counted along the second and third axis; the first one is never cut.
class LevelShare {
 public:
  using Ranges = std::array<RowRange, 3>;

  LevelShare() = default;
  /// All rows on this rank, which is alone with them.
  LevelShare(const std::array<Index, 3>& extent, const std::array<bool, 3>& periodic);
  /// The finest level, of which a box has its own rows. All ranks call it together.
  LevelShare(const Box& box, const std::array<bool, 3>& periodic);
  /// The next level, which joins pairs along some axes.
  LevelShare coarser(const std::array<bool, 3>& paired) const;

  /// Rows of other ranks are a halo here; otherwise all of them are here.
  bool has_halo() const { return has_halo_; }
  Index whole_size() const { return whole_[0] * whole_[1] * whole_[2]; }
  Index whole_extent(int axis) const { return whole_[static_cast<std::size_t>(axis)]; }
  /// The last row here lies beside the first one: along a periodic axis of which all rows are here.
  bool periodic(int axis) const { return periodic_[static_cast<std::size_t>(axis)] && !cut(axis); }
  /// Rows here, of the whole level; across the seam of a periodic axis below 0 or beyond its extent.
  const RowRange& here(int axis) const { return here_[static_cast<std::size_t>(axis)]; }
  std::array<Index, 3> extent() const { return {here_[0].count(), here_[1].count(), here_[2].count()}; }
  /// This rank's own ones, counted here.
  RowRange own(int axis) const;
  /// Those that this rank goes through: its own, or all where it is alone with them.
  RowRange worked(int axis) const { return has_halo_ ? own(axis) : RowRange{0, here(axis).count()}; }

  /// What own rows hold, taken to where others have them: into halos, or to everywhere.
  void complete(std::vector<float>& values) const;
  /// The sum over ranks with halos, in their order; of others what it is.
  Real summed(Real own) const;

 private:
  void lay_out();
  bool cut(int axis) const { return has_halo_ && own(axis).count() != whole_extent(axis); }
  RowRange with_halo(const RowRange& own, std::size_t axis) const;
  void find_neighbours();
  void gather(std::vector<float>& values) const;

  Communicator* ranks_ = nullptr;  ///< null for who is alone
  std::array<Index, 3> whole_{1, 1, 1};
  std::array<bool, 3> periodic_{false, false, false};  ///< the whole level
  std::vector<Ranges> own_;                            ///< of all ranks, of the whole level
  Ranges here_;
  bool has_halo_ = false;
  std::vector<HaloNeighbour> neighbours_;
};

}  // namespace williwaw
