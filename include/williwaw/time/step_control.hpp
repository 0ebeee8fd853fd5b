// Chooses the length of steps by the errors that they are estimated to make.
#pragma once

#include "williwaw/balance/balance.hpp"

namespace williwaw {

/// What the error of one step may be: a plain number in the unknown's unit, or a fraction of the range that
/// the data span (initial values, values that boundaries pull to, and what has come since).
struct Tolerance {
  Real value = 1e-4;
  bool of_range = true;
};

struct ControlMemory {
  Real next = 0, last_error = 0, scale = 0;
  Real lowest = std::numeric_limits<Real>::infinity(), highest = -std::numeric_limits<Real>::infinity();
  bool rejected = false;
  Index jumps = 0;  ///< of the solution in time, which no step can follow
  /// Of several unknowns: lowest and highest value of each so far.
  std::vector<std::pair<Real, Real>> ranges = {};
};

/// Proportional and integral control of the logarithm of the error (Gustafsson, 1991): a step that missed is
/// tried again, shorter; growth is limited, and none follows a rejection. Where the error of shorter and
/// shorter steps from the same instant does not fall the solution itself jumps, as a head does in the moment
/// in which the last pores fill: that step is good, however short.
class StepControl {
 public:
  /// `order` is that of the estimate.
  StepControl(const Tolerance& tolerance, int order);

  /// The first step, from how fast the state changes at the start.
  void start(Balance& balance, const State& y, Real at, Real length, Real given);
  /// What data and states have spanned so far.
  void see(const Totals& totals, const DataBounds& data_bounds);
  /// The same of several unknowns, each of which is measured by its own range.
  void see(const std::vector<Totals>& by_unknown, const Layout& layout);
  /// Root mean square of the estimated error over what is tolerated; `error` is a state of that layout.
  Real measure(const State& error, const Reductions& over, std::size_t free_unknowns) const;
  /// Judges a step of this length; the next one is in next(). True if the step is good.
  bool judge(Real length, Real error);
  Real next() const { return memory_.next; }
  /// Gives up where no step is short enough.
  bool hopeless(Real length, Real at) const;

  const ControlMemory& memory() const { return memory_; }
  void recall(const ControlMemory& memory) { memory_ = memory; }

 private:
  Real tolerated() const;
  /// What a number of the state is measured by, among several unknowns; 1 of one alone.
  Real range_of(Index number) const;

  bool jumps(Real length, Real error);

  Tolerance tolerance_;
  Real exponent_;
  /// Of rejected steps from this instant: the longest one since the error last fell to a half, and its error.
  Real stalled_length_ = 0, stalled_error_ = 0;
  ControlMemory memory_;
  std::vector<Index> starts_;  ///< of the blocks of several unknowns
};

}  // namespace williwaw
