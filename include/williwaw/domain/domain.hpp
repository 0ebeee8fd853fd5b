// The domain of a balance: its box of the grid, what is left of it, and how many threads go through its
// lines.
#pragma once

#include <span>

#include "williwaw/domain/layout.hpp"
#include "williwaw/domain/sums.hpp"
#include "williwaw/grid/grid.hpp"
#include "williwaw/grid/outline.hpp"

namespace williwaw {

/// How a balance is computed, not what it states.
struct Execution {
  int threads = 0;               ///< 0: as many as the machine offers
  bool semi_lagrangian = false;  ///< semi-Lagrangian steps are possible
};

/// The whole grid in one process: exchanges have nothing to do, and reductions end where the tree over all
/// segments (`TreeSum`) does. Whoever sums, exchanges or looks for extremes asks the domain, so that boxes of
/// several processes can take the place of this one.
class Domain {
 public:
  Domain(Grid grid, Outline outline, Execution execution = {});

  const Grid& grid() const { return grid_; }
  const Outline& outline() const { return outline_; }
  const Segments& segments() const { return segments_; }
  int threads() const { return threads_; }

  /// Unknowns whose control volumes are cut out, in increasing order.
  std::span<const Index> inactive() const { return inactive_; }
  /// A run of unknowns along x that are there.
  struct Run {
    Index first, count;
  };
  /// Runs of line n of unknowns, in increasing order.
  std::span<const Run> runs(Index line) const {
    if (first_run_.empty()) return {runs_.data(), 1};
    return {runs_.data() + first_run_[static_cast<std::size_t>(line)],
            first_run_[static_cast<std::size_t>(line) + 1] - first_run_[static_cast<std::size_t>(line)]};
  }
  /// The product of the measures of a line across x.
  Real across(Index line) const { return across_[static_cast<std::size_t>(line)]; }

  /// Fills the halo of a block of unknowns from the boxes beside this one: there are none. Whoever makes a
  /// state that others evaluate calls it.
  void exchange(std::span<Real>) const {}

 private:
  Grid grid_;
  Outline outline_;
  Segments segments_;
  int threads_ = 1;
  std::vector<Real> across_;  ///< by line
  std::vector<Index> inactive_;
  std::vector<Run> runs_;               ///< one of the whole line where nothing is cut out
  std::vector<std::size_t> first_run_;  ///< empty where nothing is cut out
};

}  // namespace williwaw
