// What lines add up to, one after the other, in the order of the tree.
#pragma once

#include <algorithm>
#include <optional>
#include <vector>

#include "williwaw/balance/balance.hpp"

namespace williwaw {

/// Sums of some lines of a block that come in increasing order. On lines of cache of its own.
struct alignas(128) LineSums {
  std::vector<TreeSum<Real>> booked;  ///< by line of the ledger
  TreeSum<Totals> totals;
  std::vector<Totals> segments;  ///< of the line at hand

  void resize(std::size_t ledger_lines, Index segments_of_line) {
    booked.resize(ledger_lines);
    segments.resize(static_cast<std::size_t>(segments_of_line));
  }
  /// Nothing yet, of a block.
  void begin() {
    for (auto& sum : booked) sum.clear();
    totals.clear();
  }
  /// Nothing yet, for every segment of a line.
  Totals* of_segments() {
    std::ranges::fill(segments, Totals());
    return segments.data();
  }
  /// The line whose first segment has this number.
  void count(Index first_segment) {
    for (std::size_t s = 0; s < segments.size(); ++s)
      totals.add(first_segment + static_cast<Index>(s), segments[s]);
  }
  /// What came out of the block; blocks of which nothing was counted or booked take no part in sums.
  void end(std::optional<Totals>& sum, std::optional<Real>* of_ledger) const {
    sum = totals.empty() ? std::nullopt : std::optional(totals.sum());
    for (std::size_t l = 0; l < booked.size(); ++l)
      of_ledger[l] = booked[l].empty() ? std::nullopt : std::optional(booked[l].sum());
  }
};

}  // namespace williwaw
