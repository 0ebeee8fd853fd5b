// How far a run in time is from repeating itself.
#pragma once

#include "williwaw/solve/cycle.hpp"
#include "williwaw/study/check.hpp"

namespace williwaw::study {

struct CycleMemory {
  State before;
  Index cycles = 0;
  Real change = 0;
};

/// Compares the state at the end of each period with that at the end of the one before.
class CycleWatch {
 public:
  /// Also solves for the repeating state directly where the problem allows it and is small enough. Throws
  /// CaseError for data that do not repeat.
  CycleWatch(const Case& given, Prepared& prepared);

  /// To be told of every step; true once the change from cycle to cycle is within the tolerance.
  bool look(const StepInfo& m);
  /// A period more is over at this time.
  bool due(Real time) const;
  bool ends_run() const { return ends_run_; }
  Index cycles() const { return memory_.cycles; }
  /// Largest change over the last whole cycle.
  Real change() const { return memory_.change; }
  Real tolerance() const { return tolerance_; }
  bool repeats() const { return memory_.cycles > 1 && memory_.change <= tolerance_; }
  const std::optional<RepeatingState>& direct() const { return direct_; }

  const CycleMemory& remember() const { return memory_; }
  void recall(const CycleMemory& memory) { memory_ = memory; }

 private:
  Real start_, period_, tolerance_;
  bool ends_run_;
  CycleMemory memory_;
  std::optional<RepeatingState> direct_;
};

}  // namespace williwaw::study
