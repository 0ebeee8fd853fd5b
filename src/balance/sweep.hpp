// One sweep over all lines of a balance: sums and bookings by block of lines, room by thread.
#pragma once

#include <omp.h>

#include <algorithm>

#include "domain/lines.hpp"
#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

class Sweep {
 public:
  Sweep(const Domain& domain, std::size_t ledger_lines, SweepWorkspace& workspace)
      : domain_(domain), ledger_lines_(ledger_lines), workspace_(workspace) {
    const auto blocks = static_cast<std::size_t>(blocks_of(domain.grid().lines()));
    const auto threads = static_cast<std::size_t>(std::max(1, domain.threads()));
    workspace.booked.resize(blocks * ledger_lines);
    for (auto& sum : workspace.booked) sum.clear();
    workspace.totals.resize(blocks);
    for (auto& sum : workspace.totals) sum.clear();
    workspace.of_segments.resize(threads);
    for (auto& totals : workspace.of_segments)
      totals.resize(static_cast<std::size_t>(domain.segments().of_line()));
  }

  /// What the lines of a block book.
  LedgerBlock booked(Index block) const {
    return LedgerBlock(workspace_.booked.data() + block * static_cast<Index>(ledger_lines_));
  }
  /// Nothing yet for every segment of a line, to be added up by this thread.
  Totals* of_segments() const {
    auto& totals = workspace_.of_segments[thread()];
    std::ranges::fill(totals, Totals());
    return totals.data();
  }
  void count(Index block, Index line, const Totals* of_segments) const {
    const Segments& segments = domain_.segments();
    const Index first = segments.number(line, 0);
    for (Index s = 0; s < segments.of_line(); ++s) workspace_.totals[block].add(first + s, of_segments[s]);
  }
  static std::size_t thread() { return static_cast<std::size_t>(omp_get_thread_num()); }

  /// Adds what was booked line by line.
  void collect(Ledger& ledger, Real weight) const {
    for (std::size_t l = 0; l < ledger_lines_; ++l) {
      TreeSum<Real> all;
      for (std::size_t n = l; n < workspace_.booked.size(); n += ledger_lines_)
        if (!workspace_.booked[n].empty())
          all.add(static_cast<Index>(n / ledger_lines_), workspace_.booked[n].sum());
      ledger[LineId(l)] += weight * all.sum();
    }
  }
  Totals sum() const { return sum_of_blocks(workspace_.totals); }

 private:
  const Domain& domain_;
  std::size_t ledger_lines_;
  SweepWorkspace& workspace_;
};

}  // namespace williwaw
