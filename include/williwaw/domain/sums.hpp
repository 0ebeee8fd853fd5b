// Sums that come out the same to the last bit however a grid is shared out: their order follows from the
// global grid alone, not from threads, boxes, processes or the width of vector units.
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <utility>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Cells of a line along x that are one leaf of a sum: the first segment starts with the line.
inline constexpr Index segment_cells = 256;

/// Numbers the segments of a grid's lines. Each line has a power of two of them, some of which may hold no
/// cell, so that lines are subtrees of the tree over all segments.
class Segments {
 public:
  Segments() = default;
  explicit Segments(Index line_cells)
      : line_cells_(line_cells),
        count_((line_cells + segment_cells - 1) / segment_cells),
        bits_(static_cast<int>(std::bit_width(static_cast<std::uint64_t>(count_ - 1)))) {}
  /// Of a part of a grid: its lines, `rows` of them in a plane, are those of `whole_rows` from `row` on, in
  /// planes from `plane` on. Segments have the numbers that they have there.
  Segments(Index line_cells, Index rows, Index whole_rows, Index row, Index plane) : Segments(line_cells) {
    rows_ = rows;
    apart_ = whole_rows - rows;
    before_ = row + whole_rows * plane;
  }

  /// A line is a subtree of 2^levels segments.
  int levels_of_line() const { return bits_; }
  /// Segments of a line that hold cells.
  Index of_line() const { return count_; }
  Index number(Index line, Index i) const {
    const Index there = rows_ == 0 ? line : line + before_ + apart_ * (line / rows_);
    return (there << bits_) + i / segment_cells;
  }
  /// That of a cell, whose number runs along x first.
  Index of_cell(Index n) const { return number(n / line_cells_, n % line_cells_); }
  /// One more than the last number.
  Index numbers(Index lines) const { return lines << bits_; }
  /// Numbers of its first cell and of the one after its last, on a whole grid.
  std::pair<Index, Index> cells(Index number) const {
    const Index line = number >> bits_, first = (number - (line << bits_)) * segment_cells;
    return {line * line_cells_ + first, line * line_cells_ + std::min(first + segment_cells, line_cells_)};
  }

 private:
  Index line_cells_ = 1, count_ = 1;
  int bits_ = 0;
  Index rows_ = 0, apart_ = 0, before_ = 0;  ///< of parts; no rows of whole grids
};

/// Work over so many lines, or leaves of a sum, is cut into blocks of a power of two of them, so that every
/// block is a subtree, and into `most_blocks` at the most.
inline constexpr Index most_blocks = 256;
inline Index in_block(Index count) {
  return static_cast<Index>(
      std::bit_ceil(static_cast<std::uint64_t>((count + most_blocks - 1) / most_blocks)));
}
inline Index blocks_of(Index count) {
  return (count + in_block(count) - 1) / in_block(count);
}

/// Adds leaves pairwise: node k of a level is the sum of nodes 2k and 2k + 1 of the level below. Leaves come
/// in increasing order, below 2³²; one that does not come takes no part. Rounding errors grow with the
/// logarithm of their number (Higham, 1993).
template <class Term>
class TreeSum {
 public:
  /// The leaf of this number, to add terms to it until a later one is asked for.
  Term& leaf(Index number) {
    if (number != leaf_) open(number);
    return value_;
  }
  void add(Index number, const Term& term) {
    if (number == leaf_) {
      value_ += term;
    } else {
      open(number);
      value_ = term;
    }
  }
  /// What a subtree of 2^level leaves, of which this is the first, has been summed up to already.
  void add(Index number, const Term& term, int level) {
    open(number);
    value_ = term;
    level_ = level;
  }
  bool empty() const { return leaf_ < 0; }
  Term sum() const {
    Term sum = value_;
    for (std::uint64_t rest = waiting_; rest != 0; rest &= rest - 1) sum = joined(left_[level_of(rest)], sum);
    return sum;
  }
  void clear() {
    leaf_ = -1;
    waiting_ = 0;
    value_ = Term();
  }

 private:
  static std::size_t level_of(std::uint64_t bits) { return static_cast<std::size_t>(std::countr_zero(bits)); }
  static Term joined(Term left, const Term& right) {
    left += right;
    return left;
  }

  // Closes what ends before this leaf.
  void open(Index number) {
    if (leaf_ >= 0) {
      Term node = value_;
      for (int level = level_; leaf_ >> level != number >> level; ++level) {
        const std::uint64_t bit = std::uint64_t{1} << level;
        if (waiting_ & bit) {
          node = joined(left_[static_cast<std::size_t>(level)], node);
          waiting_ &= ~bit;
        } else if (leaf_ >> (level + 1) == number >> (level + 1)) {
          left_[static_cast<std::size_t>(level)] = node;
          waiting_ |= bit;
        }
      }
    }
    leaf_ = number;
    level_ = 0;
    value_ = Term();
  }

  std::array<Term, 32> left_;  // by level, the left one of a pair that waits for the right one
  std::uint64_t waiting_ = 0;  // levels of which one is there
  Index leaf_ = -1;
  int level_ = 0;  ///< of the node that `value_` is
  Term value_{};
};

}  // namespace williwaw
