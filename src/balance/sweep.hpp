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
    workspace.sums.resize(static_cast<std::size_t>(blocks_of(domain.grid().lines())));
    workspace.of_blocks.resize(workspace.sums.size() * ledger_lines);
    workspace.threads.resize(static_cast<std::size_t>(std::max(1, domain.threads())));
    for (auto& room : workspace.threads) {
      room.booked.resize(ledger_lines);
      room.of_segments.resize(static_cast<std::size_t>(domain.segments().of_line()));
    }
  }

  /// Calls work(line, j, k) for every line of unknowns. A thread sums up a block of lines in room of its own,
  /// and only what comes out of it is written where others read: caches do not wait for each other.
  template <class Work>
  void each_line(const Work& work) const {
    const Index lines = domain_.grid().lines(), each = in_block(lines), blocks = blocks_of(lines),
                rows = domain_.grid().size(1);
    [[maybe_unused]] const int threads = domain_.threads();
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
    for (Index b = 0; b < blocks; ++b) {
      begin_block();
      for (Index line = b * each; line < std::min((b + 1) * each, lines); ++line)
        work(line, line % rows, line / rows);
      end_block(b);
    }
  }

  /// What the lines of a block book.
  LedgerBlock booked() const {
    return LedgerBlock(of_thread().booked.data());
  }
  /// Nothing yet for every segment of a line, to be added up by this thread.
  Totals* of_segments() const {
    auto& totals = of_thread().of_segments;
    std::ranges::fill(totals, Totals());
    return totals.data();
  }
  void count(Index line, const Totals* of_segments) const {
    const Segments& segments = domain_.segments();
    const Index first = segments.number(line, 0);
    TreeSum<Totals>& totals = of_thread().totals;
    for (Index s = 0; s < segments.of_line(); ++s) totals.add(first + s, of_segments[s]);
  }
  static std::size_t thread() {
    return static_cast<std::size_t>(omp_get_thread_num());
  }

  /// Adds what was booked line by line.
  void collect(Ledger& ledger, Real weight) const {
    for (std::size_t l = 0; l < ledger_lines_; ++l) {
      TreeSum<Real> all;
      for (std::size_t b = 0; b < workspace_.sums.size(); ++b)
        if (const auto& of_block = workspace_.of_blocks[b * ledger_lines_ + l])
          all.add(static_cast<Index>(b), *of_block);
      ledger[LineId(l)] += weight * all.sum();
    }
  }
  Totals sum() const {
    TreeSum<Totals> all;
    for (std::size_t b = 0; b < workspace_.sums.size(); ++b)
      if (workspace_.sums[b]) all.add(static_cast<Index>(b), *workspace_.sums[b]);
    return all.sum();
  }

 private:
  SweepWorkspace::OfThread& of_thread() const {
    return workspace_.threads[thread()];
  }

  void begin_block() const {
    SweepWorkspace::OfThread& room = of_thread();
    for (auto& sum : room.booked) sum.clear();
    room.totals.clear();
  }

  // Blocks of which nothing was counted or booked take no part in the sums.
  void end_block(Index block) const {
    const SweepWorkspace::OfThread& room = of_thread();
    const auto b = static_cast<std::size_t>(block);
    workspace_.sums[b] = room.totals.empty() ? std::nullopt : std::optional(room.totals.sum());
    for (std::size_t l = 0; l < ledger_lines_; ++l)
      workspace_.of_blocks[b * ledger_lines_ + l] =
          room.booked[l].empty() ? std::nullopt : std::optional(room.booked[l].sum());
  }

  const Domain& domain_;
  std::size_t ledger_lines_;
  SweepWorkspace& workspace_;
};

}  // namespace williwaw
