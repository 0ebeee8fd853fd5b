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

/// The rank beside this one at an end of an axis: rows of this one's own that go there, and those of its halo
/// that come from there, counted here.
struct HaloNeighbour {
  int axis, rank;
  RowRange sent, received;
};

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

  /// How it numbers the segments of its lines.
  const Segments& segments() const { return segments_; }

  /// Lines of its own that are a subtree of the tree over the lines of the whole grid, or what is left of one
  /// at the end of the grid: lines first to first + count - 1 here, leaves from `leaf` on there. Of lines
  /// that are cut each is a few subtrees, one after the other.
  struct Subtree {
    Index first = 0, count = 0;
    Index leaf = 0;
    int level = 0;  ///< of lines: it spans 2^level of them
  };
  /// Lines for one turn of a thread, a subtree as well.
  struct Block {
    Index first = 0, count = 0;
    Index number = 0;         ///< among equal ones of the whole grid
    std::size_t subtree = 0;  ///< that it is a part of; of lines that are cut the first of theirs
  };
  const std::vector<Subtree>& subtrees() const { return subtrees_; }
  const std::vector<Block>& blocks() const { return blocks_; }

  /// Unknown n is this box's own.
  bool owns(Index n) const {
    if (whole_) return true;
    const std::array<Index, 3> at{n % size_[0], n / size_[0] % size_[1], n / (size_[0] * size_[1])};
    for (std::size_t a = 0; a < 3; ++a)
      if (at[a] < own_first_[a] || at[a] >= own_end_[a]) return false;
    return true;
  }
  /// Number here of an unknown of the whole grid, and of one here there. Nothing where it is not here, not
  /// even in the halo.
  std::optional<Index> here(Index whole) const;
  Index there(Index n) const;
  /// Number of a line of its own along the lines of the whole grid.
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
  /// Each rank's own along each axis, counted along the whole grid. All ranks ask together.
  std::vector<std::array<RowRange, 3>> own_of_all() const;
  /// Number in the whole grid of the unknown at a place counted there, and the one here.
  Index number_there(const std::array<Index, 3>& at) const {
    return at[0] + whole_size_[0] * (at[1] + whole_size_[1] * at[2]);
  }
  std::optional<Index> here(const std::array<Index, 3>& at) const;

  /// Fills the halo from the boxes beside this one, corners included: as far as single steps read, or all of
  /// it.
  void exchange(std::span<Real> values) const { exchange(values, neighbours_); }
  void exchange_all(std::span<Real> values) const { exchange(values, all_of_neighbours_); }
  /// How much further than single steps read the halo reaches.
  Index further() const { return further_; }
  /// Unknowns along an axis here, and which of them are its own, counted here.
  Index size(int axis) const { return size_[static_cast<std::size_t>(axis)]; }
  RowRange own(int axis) const {
    const auto a = static_cast<std::size_t>(axis);
    return {own_first_[a], own_end_[a]};
  }
  /// Another box follows below, or above: the halo there is not empty.
  bool shares(int axis, bool upper) const {
    return static_cast<std::size_t>(axis) < axes_.size() &&
           axes_[static_cast<std::size_t>(axis)].halo(upper).count() > 0;
  }

  /// What all subtrees of all ranks sum up to, from those of this one, in their order; nothing of one takes
  /// no part. For sums of a plain row of reals, each of which is added by itself.
  template <class Sum>
  Sum joined(std::span<const std::optional<Sum>> own) const {
    static_assert(std::is_trivially_copyable_v<Sum> && sizeof(Sum) % sizeof(Real) == 0);
    if (whole_) return own.front().value_or(Sum());
    constexpr std::size_t width = 1 + sizeof(Sum) / sizeof(Real);
    std::vector<Real> rows(own.size() * width);
    for (std::size_t s = 0; s < own.size(); ++s) put<Sum>(own[s], rows.data() + s * width);
    TreeSum<Sum> all;
    merge(rows, width, &Box::join<Sum>, [&](const Node& node, const Real* row) {
      if (const auto one = taken<Sum>(row)) all.add(node.leaf, *one, node.level);
    });
    std::array<Real, width> sum{};
    put<Sum>(all.sum(), sum.data());
    communicator_->broadcast(sum);
    return *taken<Sum>(sum.data());
  }
  /// Brings rows of `width` reals, one for each subtree of this rank, together on the first rank: ranks join
  /// what they have in pairs, pairs of pairs and so on, by join(left, right), which adds the right one of two
  /// neighbouring subtrees to the left one. The first rank gets what is left, visit(node, row), in the order
  /// of leaves. All ranks call it together.
  template <class Join, class Visit>
  void merge(std::vector<Real> rows, std::size_t width, const Join& join, const Visit& visit) const {
    std::vector<Real> received, left;
    for (const Round& round : rounds_) {
      received.resize(round.received * width);
      Communicator::Message message{round.other, {}, received};
      if (round.sends) message.sent = rows;
      communicator_->exchange(std::span(&message, round.other < 0 ? 0 : 1));
      if (round.other < 0 || round.sends) continue;
      rows.insert(rows.end(), received.begin(), received.end());
      left.clear();
      for (const Round::Step& step : round.steps) {
        const auto row = rows.begin() + static_cast<std::ptrdiff_t>(step.row * width);
        left.insert(left.end(), row, row + static_cast<std::ptrdiff_t>(width));
        for (int n = 0; n < step.joins; ++n) {
          join(left.data() + left.size() - 2 * width, left.data() + left.size() - width);
          left.resize(left.size() - width);
        }
      }
      rows.swap(left);
    }
    for (std::size_t n = 0; n < top_.size(); ++n) visit(top_[n], rows.data() + n * width);
  }
  /// A node of the tree over all leaves: its first leaf, and how many levels it spans.
  struct Node {
    Index leaf;
    int level;
  };
  /// A sum that may be missing, in a row: whether it is there, and its reals.
  template <class Sum>
  static void put(const std::optional<Sum>& sum, Real* row) {
    row[0] = sum ? 1 : 0;
    if (sum) std::memcpy(row + 1, &*sum, sizeof(Sum));
  }
  template <class Sum>
  static std::optional<Sum> taken(const Real* row) {
    if (row[0] == 0) return std::nullopt;
    Sum sum;
    std::memcpy(static_cast<void*>(&sum), row + 1, sizeof(Sum));
    return sum;
  }
  /// Adds the sum of another row to that of one.
  template <class Sum>
  static void join(Real* left, const Real* right) {
    const std::optional<Sum> other = taken<Sum>(right);
    if (!other) return;
    std::optional<Sum> sum = taken<Sum>(left);
    if (sum)
      *sum += *other;
    else
      sum = other;
    put<Sum>(sum, left);
  }

 private:
  void lay_out_subtrees();
  void lay_out_rounds();
  void lay_out_blocks();
  void find_neighbours(const Grid& grid, const Decomposition& decomposition);
  void exchange(std::span<Real> values, const std::vector<HaloNeighbour>& with) const;

  Communicator* communicator_;
  bool whole_ = true;
  std::vector<Axis> axes_;  ///< of the part
  Segments segments_;
  std::array<Index, 3> size_{1, 1, 1}, whole_size_{1, 1, 1}, first_{0, 0, 0}, own_first_{0, 0, 0},
      own_end_{1, 1, 1};
  std::vector<Subtree> subtrees_;
  std::vector<Block> blocks_;
  /// How rows of several ranks come together: with which rank (-1: none) and how many of its rows; then those
  /// of both, own ones first, are taken in the order of leaves, and the last two of what was taken are joined
  /// so many times after each.
  struct Round {
    struct Step {
      std::size_t row;
      int joins;
    };
    int other = -1;
    bool sends = false;
    std::size_t received = 0;
    std::vector<Step> steps;
  };
  std::vector<Round> rounds_;
  std::vector<Node> top_;  ///< of the first rank: what is left in the end
  std::vector<HaloNeighbour> neighbours_, all_of_neighbours_;
  Index further_ = 0;
};

}  // namespace williwaw
