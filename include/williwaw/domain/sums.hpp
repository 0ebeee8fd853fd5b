// Sums that come out the same to the last bit however a grid is shared out: their order follows from the
// global grid alone, not from threads, boxes, processes or the width of vector units.
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <optional>
#include <utility>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Cells of a line along x that are one leaf of a sum: the first segment starts with the line.
inline constexpr Index segment_cells = 256;

/// Numbers the segments of a grid's lines. Each line has a power of two of them, some of which may hold no
/// cell, so that lines are subtrees of the tree over all segments.
class Segments {
 public:
  /// What a part of a grid has of it along each axis: so many unknowns, of which those from `own_first` to
  /// `own_end` - 1 are its own, and there are the first of its own, of `whole`.
  struct Along {
    Index size = 1, own_first = 0, own_end = 1, there = 0, whole = 1;
  };

  Segments() = default;
  explicit Segments(Index line_cells) : Segments(line_cells, line_cells) {}
  /// Of a part, whose segments have the numbers that they have in the whole grid. Lines that are cut begin
  /// with a whole segment, their own as well.
  Segments(const Along& x, const Along& y, const Along& z) : Segments(x.size, x.whole) {
    rows_ = y.size;
    apart_ = y.whole - y.size;
    before_ = y.there - y.own_first + y.whole * (z.there - z.own_first);
    own_first_ = x.own_first / segment_cells;
    own_ = (x.own_end + segment_cells - 1) / segment_cells - own_first_;
    first_there_ = x.there / segment_cells;
    if (x.own_end - x.own_first < x.whole) find_nodes();
  }

  /// A line is a subtree of 2^levels segments.
  int levels_of_line() const { return bits_; }
  /// Segments of a line that hold cells.
  Index of_line() const { return count_; }
  /// That of unknown i of a line; below zero where it is another box's.
  Index number(Index line, Index i) const {
    const Index there = rows_ == 0 ? line : line + before_ + apart_ * (line / rows_);
    const Index own = i / segment_cells - own_first_;
    return own < 0 || own >= own_ ? -1 : (there << bits_) + own + first_there_;
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

  /// A subtree within a line: its first segment, counted there, and how many levels it spans.
  struct Node {
    Index first;
    int level;
  };
  /// The largest subtrees that a box's own segments of a line make up, where lines are cut; else none.
  const std::vector<Node>& nodes() const { return nodes_; }
  /// Into how many subtrees lines are cut up, and which of them a segment belongs to.
  std::size_t parts_of_line() const { return std::max<std::size_t>(1, nodes_.size()); }
  std::size_t part(Index number) const {
    if (nodes_.size() < 2) return 0;
    const Index in_line = number & ((Index{1} << bits_) - 1);
    std::size_t part = nodes_.size() - 1;
    while (nodes_[part].first > in_line) --part;
    return part;
  }

 private:
  Segments(Index line_cells, Index whole_cells)
      : line_cells_(line_cells),
        count_((line_cells + segment_cells - 1) / segment_cells),
        own_(count_),
        bits_(static_cast<int>(std::bit_width(
            static_cast<std::uint64_t>((whole_cells + segment_cells - 1) / segment_cells - 1)))) {}

  void find_nodes() {
    for (Index first = first_there_, left = own_; left > 0;) {
      const int level = std::min(first == 0 ? bits_ : std::countr_zero(static_cast<std::uint64_t>(first)),
                                 static_cast<int>(std::bit_width(static_cast<std::uint64_t>(left))) - 1);
      nodes_.push_back({first, level});
      first += Index{1} << level;
      left -= Index{1} << level;
    }
  }

  Index line_cells_ = 1, count_ = 1;
  Index own_first_ = 0, own_ = 1, first_there_ = 0;  ///< segments of a line
  int bits_ = 0;
  Index rows_ = 0, apart_ = 0, before_ = 0;  ///< of parts; no rows of whole grids
  std::vector<Node> nodes_;
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

/// The sums of the subtrees that some lines make up, or that a box has of one line, if it is cut: leaves of
/// other boxes, whose numbers are below zero, do not count.
template <class Term>
class SubtreeSums {
 public:
  SubtreeSums() = default;
  /// The segments must outlive it.
  explicit SubtreeSums(const Segments& segments) { begin(segments); }
  /// Nothing yet.
  void begin(const Segments& segments) {
    segments_ = &segments;
    further_.resize(segments.parts_of_line() - 1);
    clear();
  }
  void clear() {
    first_.clear();
    for (TreeSum<Term>& sum : further_) sum.clear();
  }
  Term& leaf(Index number) { return number < 0 ? nowhere_ = Term() : of(number).leaf(number); }
  void add(Index number, const Term& term) {
    if (number >= 0) of(number).add(number, term);
  }
  /// What one of the parts of a line came to; nothing of those to which nothing was added.
  std::optional<Term> sum(std::size_t part = 0) const {
    const TreeSum<Term>& one = part == 0 ? first_ : further_[part - 1];
    return one.empty() ? std::nullopt : std::optional(one.sum());
  }

 private:
  TreeSum<Term>& of(Index number) {
    if (further_.empty()) return first_;
    const std::size_t part = segments_->part(number);
    return part == 0 ? first_ : further_[part - 1];
  }

  const Segments* segments_ = nullptr;
  TreeSum<Term> first_;
  std::vector<TreeSum<Term>> further_;
  Term nowhere_{};
};

}  // namespace williwaw
