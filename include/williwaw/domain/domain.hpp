// The domain of a balance: its box of the grid, what is left of it, and how many threads go through its
// lines.
#pragma once

#include <span>

#include "williwaw/domain/box.hpp"
#include "williwaw/domain/layout.hpp"
#include "williwaw/domain/sums.hpp"
#include "williwaw/grid/outline.hpp"

namespace williwaw {

/// How a balance is computed, not what it states.
struct Execution {
  int threads = 0;               ///< 0: as many as the machine offers
  bool semi_lagrangian = false;  ///< semi-Lagrangian steps are possible
  /// Who shares the grid. It must outlive the balance; null: nobody.
  Communicator* communicator = nullptr;
  /// Boxes along each axis; zeros: as `Decomposition::choose` has it.
  std::array<int, 3> boxes{0, 0, 0};
  /// Lines along the first axis may be cut: not for implicit steps and steady states.
  bool cuts_lines = false;
  /// Halos of boxes are deep enough for several steps in one pass, where boxes have room for that.
  bool in_passes = false;
  /// Bytes of cache of a core that passes of several steps are made for; 0: what the machine says.
  Index cache = 0;
  /// How the grid is shared out; set by `make_balance`.
  std::shared_ptr<const Decomposition> decomposition = {};
};

/// The whole grid, or the part of it that one of several ranks has: a box with a halo. Whoever sums,
/// exchanges or looks for extremes asks the domain, and gets what all boxes have together. The grid, and all
/// numbers of unknowns and lines, are those of the part; sweeps visit the box's own lines.
class Domain {
 public:
  Domain(Grid grid, Outline outline, Execution execution = {});

  const Grid& grid() const { return grid_; }
  const Outline& outline() const { return outline_; }
  const Box& box() const { return *box_; }
  const std::shared_ptr<const Box>& shared_box() const { return box_; }
  const Segments& segments() const { return box_->segments(); }
  int threads() const { return threads_; }
  /// Bytes of cache that one core has for itself.
  Index cache() const { return cache_; }

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

  /// Fills the halo of a block of unknowns from the boxes beside this one. Whoever makes a state that others
  /// evaluate calls it.
  void exchange(std::span<Real> values) const { box_->exchange(values); }
  /// The same as far as passes of several steps read.
  void exchange_all(std::span<Real> values) const { box_->exchange_all(values); }

 private:
  Grid grid_;
  Outline outline_;
  std::shared_ptr<const Box> box_;
  int threads_ = 1;
  Index cache_ = 0;
  std::vector<Real> across_;  ///< by line
  std::vector<Index> inactive_;
  std::vector<Run> runs_;               ///< one of the whole line where nothing is cut out
  std::vector<std::size_t> first_run_;  ///< empty where nothing is cut out
};

}  // namespace williwaw
