// Explicit schemes whose stages a balance may take line by line, one step or several in a pass over memory.
#pragma once

#include "williwaw/time/stepper.hpp"

namespace williwaw {

class StepsByLine : public Stepper {
 public:
  AtOnce at_once() override { return by_line_ ? balance_.stages_at_once(*by_line_) : AtOnce(); }
  bool advance_several(State& y, const Pass& pass) override { return step_by_line(y, pass, true); }
  void take_back_several(State& y) override { y.swap(start_); }
  // A single step leaves the state before it where several leave that before all of them.
  const State& previous() const override { return alone_ ? start_ : previous_; }

 protected:
  explicit StepsByLine(Balance& balance) : balance_(balance) {
    previous_.resize(static_cast<std::size_t>(balance.layout().size()));
  }

  Totals step_by_line(State& y, Real at, Real step, Ledger& amounts) {
    Totals totals;
    step_by_line(y, {{&at, 1}, step, {&amounts, 1}, {&totals, 1}}, false);
    return totals;
  }
  bool step_by_line(State& y, const Pass& pass, bool in_one_pass) {
    start_.resize(y.size());
    if (!balance_.advance_in_stages(y, pass, *by_line_, in_one_pass, previous_, start_)) return false;
    y.swap(start_);
    alone_ = pass.times.size() == 1;
    return true;
  }

  Balance& balance_;
  std::optional<ExplicitStages> by_line_;  ///< nothing where the balance does not take them
  State start_;                            ///< made where it is needed

 private:
  bool alone_ = false;  ///< the last step was taken by itself
};

}  // namespace williwaw
