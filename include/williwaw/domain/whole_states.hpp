// States of ranks put together, and whole states taken apart.
#pragma once

#include "williwaw/domain/box.hpp"
#include "williwaw/domain/layout.hpp"

namespace williwaw {

/// To what a number that a rank remembers belongs: one of several rows of numbers, and an unknown of a block
/// on this rank's part of the grid, halo included.
struct NumberPlace {
  int row = 0;
  Index unknown = 0;
};

/// Knows where the values of each rank stand in whole states. All ranks make and ask it together. Where the
/// layout is whole everything stays as it is.
class WholeStates {
 public:
  /// The layout, whose boxes are those of the ranks, must outlive it.
  explicit WholeStates(const Layout& part);

  /// Values of a whole state.
  Index size() const;
  /// The whole state on rank 0, from this rank's; empty on the others. Of one unknown also several states of
  /// it one after the other.
  State at_first(const State& part) const { return together(part, false); }
  /// The same on all ranks.
  State everywhere(const State& part) const { return together(part, true); }
  /// This rank's values of a whole state, halo included.
  State part(const State& whole) const;

  /// Numbers that belong to unknowns of the first block, from all ranks, in the order of rows and of unknowns
  /// in the whole grid, which does not depend on who had them; on all ranks.
  std::vector<Real> together(std::span<const Real> numbers, std::span<const NumberPlace> places) const;
  /// Those that have these places here, from all of them. Throws InputError where there are others.
  std::vector<Real> part(std::span<const Real> numbers, std::span<const NumberPlace> places) const;

 private:
  State together(const State& part, bool everywhere) const;
  std::size_t copies(const State& state, Index size) const;
  std::size_t block(std::size_t n) const { return n % layout_->blocks().size(); }

  const Layout* layout_;
  Communicator* ranks_ = nullptr;                          ///< null where the layout is whole
  std::vector<std::vector<std::array<RowRange, 3>>> own_;  ///< by block and rank
};

}  // namespace williwaw
