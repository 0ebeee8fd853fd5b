// The box of one rank for one kind of unknowns: which of them are its own, what it tells the boxes beside it,
// and how sums over all boxes come about.
#pragma once

#include <bit>
#include <cstring>
#include <memory>
#include <optional>
#include <type_traits>

#include "williwaw/domain/decomposition.hpp"
#include "williwaw/domain/sums.hpp"

namespace williwaw {

/// Unknowns of a grid are numbered here as on the part that the box has, halo included. A box of everything
/// is one whose rank is alone.
class Box {
 public:
  explicit Box(const Grid& grid) : Box(grid, Decomposition(), Communicator::self()) {}
  /// `grid` is the part of a decomposition that this rank has, or the whole grid for ranks of which each has
  /// everything. The communicator must outlive the box. All ranks make their boxes together.
  Box(const Grid& grid, const Decomposition& decomposition, Communicator& communicator);

  /// It has the whole grid.
  bool whole() const { return whole_; }
  Communicator& communicator() const { return *communicator_; }

  /// Lines of its own that are a subtree of the tree over the lines of the whole grid, or what is left of one
  /// at the end of the grid: lines first to first + count - 1 here, leaves from `leaf` on there.
  struct Subtree {
    Index first = 0, count = 0;
    Index leaf = 0;
    int level = 0;  ///< of lines: it spans 2^level of them
  };
  /// Lines for one turn of a thread, a subtree as well.
  struct Block {
    Index first = 0, count = 0;
    Index number = 0;         ///< among equal ones of the whole grid
    std::size_t subtree = 0;  ///< that it is a part of
  };
  const std::vector<Subtree>& subtrees() const { return subtrees_; }
  const std::vector<Block>& blocks() const { return blocks_; }

  /// Unknown n is this box's own.
  bool owns(Index n) const {
    if (whole_) return true;
    for (std::size_t a = 1; a < 3; ++a) {
      const Index at = a == 1 ? n / size_[0] % size_[1] : n / (size_[0] * size_[1]);
      if (at < own_first_[a] || at >= own_end_[a]) return false;
    }
    return true;
  }
  /// Number here of an unknown of the whole grid, and of one here there. Nothing where it is not here, not
  /// even in the halo.
  std::optional<Index> here(Index whole) const;
  Index there(Index n) const;
  /// Number of a line here along the lines of the whole grid.
  Index line_there(Index line) const {
    if (whole_) return line;
    return line % size_[1] + first_[1] + whole_size_[1] * (line / size_[1] + first_[2]);
  }
  /// Unknowns here, halo included, and those of the whole grid.
  Index count() const { return size_[0] * size_[1] * size_[2]; }
  Index whole_count() const { return whole_size_[0] * whole_size_[1] * whole_size_[2]; }
  /// Its own along an axis, counted along the whole grid.
  Index own_first(int axis) const { return first_[axis] + own_first_[axis]; }
  Index own_count(int axis) const { return own_end_[axis] - own_first_[axis]; }
  /// Number in the whole grid of the unknown at a place counted there, and the one here.
  Index number_there(const std::array<Index, 3>& at) const {
    return at[0] + whole_size_[0] * (at[1] + whole_size_[1] * at[2]);
  }
  std::optional<Index> here(const std::array<Index, 3>& at) const;

  /// Fills the halo from the boxes beside this one, corners included.
  void exchange(std::span<Real> values) const;

  /// What all subtrees of all ranks sum up to, from those of this one, in their order; nothing of one takes
  /// no part. For sums of a plain row of reals, each of which is added by itself.
  template <class Sum>
  Sum joined(std::span<const std::optional<Sum>> own) const {
    static_assert(std::is_trivially_copyable_v<Sum> && sizeof(Sum) % sizeof(Real) == 0);
    if (whole_) return own.front().value_or(Sum());
    constexpr std::size_t width = sizeof(Sum) / sizeof(Real);
    std::vector<Real> sent(own.size() * (width + 1));
    for (std::size_t s = 0; s < own.size(); ++s) {
      sent[s * (width + 1)] = own[s] ? 1 : 0;
      if (own[s]) std::memcpy(&sent[s * (width + 1) + 1], &*own[s], sizeof(Sum));
    }
    TreeSum<Sum> all;
    each_subtree(sent, width + 1, [&](int level, Index leaf, const Real* values) {
      if (values[0] == 0) return;
      Sum one;
      std::memcpy(static_cast<void*>(&one), values + 1, sizeof(Sum));
      all.add(leaf, one, level);
    });
    return all.sum();
  }
  /// Calls visit(level, leaf, values) for every subtree of every rank, in the order of leaves, with what that
  /// rank gave for it in `own`: `width` values for each subtree.
  template <class Visit>
  void each_subtree(std::span<const Real> own, std::size_t width, const Visit& visit) const {
    const std::vector<Real> all = communicator_->gathered(own);
    for (const Told& subtree : order_) visit(subtree.level, subtree.leaf, all.data() + subtree.place * width);
  }

 private:
  void lay_out_subtrees();
  void lay_out_blocks();
  void find_neighbours(const Grid& grid, const Decomposition& decomposition);

  Communicator* communicator_;
  bool whole_ = true;
  std::array<Index, 3> size_{1, 1, 1}, whole_size_{1, 1, 1}, first_{0, 0, 0}, own_first_{0, 0, 0},
      own_end_{1, 1, 1};
  std::vector<Subtree> subtrees_;
  std::vector<Block> blocks_;
  /// A subtree of some rank, and its place among all that are gathered.
  struct Told {
    Index leaf;
    int level;
    std::size_t place;
  };
  std::vector<Told> order_;
  /// The box beside this one at an end of an axis: so many rows are its halo here, and so many of this one's
  /// own its halo there.
  struct Neighbour {
    int axis, rank;
    bool upper;
    Index received, sent;
  };
  std::vector<Neighbour> neighbours_;
};

}  // namespace williwaw
