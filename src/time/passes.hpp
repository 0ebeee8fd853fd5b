// Passes of several steps each: how many, whether they pay, and room for what they tell.
#pragma once

#include <chrono>

#include "williwaw/time/march.hpp"

namespace williwaw {

using Clock = std::chrono::steady_clock;

class Passes {
 public:
  /// More than one step is to be taken at once from here on. The first steps are taken one by one, to know
  /// how long that takes.
  bool wanted(Stepper& stepper, bool tiling);
  int at_once() const { return out_.at_once; }
  /// Fewer are taken one by one.
  int least() const { return least_; }

  /// Room for so many steps, the first of which starts at this time.
  Pass begin(Real time, Real length, int steps, std::size_t ledger_lines);
  std::vector<Real> times;  ///< at which steps of a pass begin

  /// A step, or a pass of so many, was taken from this moment on.
  void took_one(Clock::time_point begun);
  void took(Clock::time_point begun, int steps);
  /// So many steps are taken alone, of which some were taken in a pass already.
  void one_by_one(int steps, int repeated);

  const TilingOutcome& outcome() const { return out_; }

 private:
  // A step by itself is measured by the shortest of a few; passes of many steps by their mean.
  static constexpr int measured_alone = 3, judged_after = 4;
  TilingOutcome out_{.why_one_by_one = "steps are chosen one by one, or there is one alone"};
  bool asked_ = false;
  int least_ = 2;
  int alone_ = measured_alone;  ///< steps to be taken one by one before the next pass
  int passes_ = 0;
  Index measured_ = 0;
  Real seconds_ = 0;
  std::vector<Ledger> amounts_;
  std::vector<Totals> totals_;
};

}  // namespace williwaw
