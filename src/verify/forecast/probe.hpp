// A bounded number of steps of the real thing, which shows what data and arithmetic hold of modes that grow.
#pragma once

#include "williwaw/terms/discretization.hpp"
#include "williwaw/time/guard.hpp"
#include "williwaw/time/stepper.hpp"

namespace williwaw::verify {

/// Steps from the problem's initial values, by the scheme's own stepper.
class Prober {
 public:
  Prober(Discretization& balance, const Scheme& scheme, Real step, Real at);

  /// Goes on for so many steps, fewer where all together would cost more than a second or so, or the guard
  /// would end the run. Returns how many it took.
  Index go(Index steps);
  Index steps() const { return steps_; }
  /// The guard would have ended the run after the last step.
  bool left() const { return left_; }
  const State& state() const { return y_; }
  /// What the last step changed.
  State change() const;

 private:
  Discretization& balance_;
  std::unique_ptr<Stepper> stepper_;
  Real step_, at_;
  Index most_, steps_ = 0;
  bool left_ = false;
  State y_, before_;
  Ledger amounts_;
  Budget budget_;
  Guard guard_;
};

/// Whether values along each axis are the same, to within a fraction of the largest difference anywhere (0:
/// bit by bit).
std::array<bool, 3> uniform_along(const Discretization& balance, const State& y, Real fraction);

}  // namespace williwaw::verify
