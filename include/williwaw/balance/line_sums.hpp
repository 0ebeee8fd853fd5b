// What lines add up to, one after the other, in the order of the tree.
#pragma once

#include <algorithm>
#include <optional>
#include <vector>

#include "williwaw/balance/balance.hpp"

namespace williwaw {

/// Sums of some lines of a block that come in increasing order. On lines of cache of its own.
struct alignas(128) LineSums {
  std::vector<SubtreeSums<Real>> booked;  ///< by line of the ledger
  SubtreeSums<Totals> totals;
  std::vector<Totals> of_line;  ///< segments of the line at hand

  /// The segments must outlive it.
  void resize(std::size_t ledger_lines, const Segments& segments) {
    booked.resize(ledger_lines);
    for (auto& sum : booked) sum.begin(segments);
    totals.begin(segments);
    of_line.resize(static_cast<std::size_t>(segments.of_line()));
  }
  /// Nothing yet, of a block.
  void begin() {
    for (auto& sum : booked) sum.clear();
    totals.clear();
  }
  /// Nothing yet, for every segment of a line.
  Totals* of_segments() {
    std::ranges::fill(of_line, Totals());
    return of_line.data();
  }
  /// The line at hand, when all of its segments are complete.
  void count(const Segments& segments, Index line) {
    for (std::size_t s = 0; s < of_line.size(); ++s)
      totals.add(segments.number(line, static_cast<Index>(s) * segment_cells), of_line[s]);
  }
  /// What came out of a part of the block; those of which nothing was counted or booked take no part in sums.
  void end(std::size_t part, std::optional<Totals>& sum, std::optional<Real>* of_ledger) const {
    sum = totals.sum(part);
    for (std::size_t l = 0; l < booked.size(); ++l) of_ledger[l] = booked[l].sum(part);
  }
};

}  // namespace williwaw
