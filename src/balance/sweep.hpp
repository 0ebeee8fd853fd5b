// One sweep over all lines of a balance: sums and bookings by block of lines, room by thread.
#pragma once

#include <omp.h>

#include <algorithm>
#include <bit>
#include <cstdint>

#include "balance/joined_sums.hpp"
#include "domain/lines.hpp"
#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

/// Zeros into a line of a state, which mostly are there already: reading costs half of writing.
inline void clear_line(Real* first, Index count) {
  std::uint64_t any = 0;
#pragma omp simd reduction(| : any)
  for (Index i = 0; i < count; ++i) any |= std::bit_cast<std::uint64_t>(first[i]);
  if (any != 0) std::fill_n(first, count, 0.0);
}

class Sweep {
 public:
  Sweep(const Domain& domain, std::size_t ledger_lines, SweepWorkspace& workspace)
      : domain_(domain),
        ledger_lines_(ledger_lines),
        workspace_(workspace),
        parts_(domain.segments().parts_of_line()) {
    workspace.sums.resize(domain.box().blocks().size() * parts_);
    workspace.of_blocks.resize(workspace.sums.size() * ledger_lines);
    workspace.threads.resize(static_cast<std::size_t>(std::max(1, domain.threads())));
    for (LineSums& room : workspace.threads) room.resize(ledger_lines, domain.segments());
  }

  /// Calls work(line, j, k, sums) for every line of unknowns. A thread sums up a block of lines in room of
  /// its own, and only what comes out of it is written where others read: caches do not wait for each other.
  template <class Work>
  void each_line(const Work& work) const {
    const Index rows = domain_.grid().size(1);
    each_block(domain_, [&](std::size_t block, Index first, Index end) {
      LineSums& sums = workspace_.threads[thread()];
      sums.begin();
      for (Index line = first; line < end; ++line) work(line, line % rows, line / rows, sums);
      for (std::size_t part = 0; part < parts_; ++part) {
        const std::size_t n = block * parts_ + part;
        sums.end(part, workspace_.sums[n], workspace_.of_blocks.data() + n * ledger_lines_);
      }
    });
  }

  static std::size_t thread() { return static_cast<std::size_t>(omp_get_thread_num()); }

  /// What was counted in all boxes; `weight` times what was booked line by line is added to the ledger. All
  /// ranks call it together.
  Totals finish(Ledger& ledger, Real weight) const {
    if (!domain_.box().whole()) return finish_on_ranks(ledger, weight);
    // Without room of its own: steps allocate nothing.
    for (std::size_t l = 0; l < ledger_lines_; ++l)
      ledger[LineId(l)] += weight * sum_of_blocks<Real>([&](std::size_t b) { return booked_in(b, l); });
    return sum_of_blocks<Totals>([&](std::size_t b) { return &workspace_.sums[b]; });
  }

 private:
  const std::optional<Real>* booked_in(std::size_t block, std::size_t line) const {
    return &workspace_.of_blocks[block * ledger_lines_ + line];
  }

  // Of a whole grid, whose blocks are numbered one after the other.
  template <class Sum, class OfBlock>
  Sum sum_of_blocks(const OfBlock& of_block) const {
    TreeSum<Sum> all;
    for (std::size_t b = 0; b < workspace_.sums.size(); ++b)
      if (const std::optional<Sum>& one = *of_block(b)) all.add(static_cast<Index>(b), *one);
    return all.sum();
  }

  Totals finish_on_ranks(Ledger& ledger, Real weight) const {
    const Box& box = domain_.box();
    const SweepSums sums =
        joined_sums(
            box, 1, ledger_lines_,
            [&](std::size_t) {
              return by_subtree<Totals>(box, [&](std::size_t b) { return workspace_.sums[b]; });
            },
            [&](std::size_t, std::size_t line) {
              return by_subtree<Real>(box, [&](std::size_t b) { return *booked_in(b, line); });
            })
            .front();
    for (std::size_t l = 0; l < ledger_lines_; ++l) ledger[LineId(l)] += weight * sums.booked[l];
    return sums.totals;
  }

  const Domain& domain_;
  std::size_t ledger_lines_;
  SweepWorkspace& workspace_;
  std::size_t parts_;  ///< of each block that sums are kept of
};

}  // namespace williwaw
