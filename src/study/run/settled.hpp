// How far a run in time is from its steady state.
#pragma once

#include "williwaw/study/check.hpp"

namespace williwaw::study {

/// Finds the steady state before the run and measures the distance to it, the root of the mean square over
/// the domain, while it goes on.
struct SettledMemory {
  Real last = 0;
  std::optional<Real> done_at;
};

class SettledWatch {
 public:
  /// Looks for the steady state if the data are steady and the problem small enough, or if the case asks for
  /// it.
  SettledWatch(const Case& given, const Prepared& prepared);

  /// There is a steady state to be measured against.
  bool known() const { return !target_.empty(); }
  /// Why there is none; empty if it was not looked for.
  const std::string& why_not() const { return why_not_; }
  /// Distance at a state.
  Real distance(const State& y) const;
  Real first() const { return first_; }
  Real last() const { return last_; }
  /// When the wanted fraction of the distance to the steady state was passed, if it was.
  std::optional<Real> done_at() const { return done_at_; }

  /// To be told of every step; true once the wanted fraction is passed.
  bool look(const StepInfo& info);

  SettledMemory remember() const { return {last_, done_at_}; }
  void recall(const SettledMemory& memory) {
    last_ = memory.last;
    done_at_ = memory.done_at;
  }

 private:
  const Discretization* balance_;
  Real fraction_;
  State target_;
  std::string why_not_;
  Real first_ = 0, last_ = 0;
  std::optional<Real> done_at_;
};

}  // namespace williwaw::study
