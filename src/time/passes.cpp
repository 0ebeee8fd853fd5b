#include "time/passes.hpp"

#include <algorithm>

namespace williwaw {

namespace {

Real seconds_since(Clock::time_point begun) {
  return std::chrono::duration<Real>(Clock::now() - begun).count();
}

}  // namespace

bool Passes::wanted(Stepper& stepper, bool tiling) {
  // How many stages a step takes is known after the first one only.
  if (alone_ == measured_alone) return false;
  if (!asked_) {
    asked_ = true;
    const AtOnce found = tiling ? stepper.at_once() : AtOnce{0, 2, "not asked for"};
    out_.at_once = found.steps;
    least_ = found.least;
    out_.why_one_by_one = found.why_one_by_one;
  }
  return out_.at_once > 0 && out_.pays && alone_ == 0;
}

Pass Passes::begin(Real time, Real length, int steps, std::size_t ledger_lines) {
  const auto count = static_cast<std::size_t>(steps);
  times.resize(count);
  times.front() = time;
  amounts_.resize(count, Ledger(ledger_lines));
  totals_.resize(count);
  return {times, length, amounts_, totals_};
}

void Passes::took_one(Clock::time_point begun) {
  if (asked_ && out_.at_once < 1) return;
  if (alone_ > 0) --alone_;
  const Real seconds = seconds_since(begun);
  out_.alone = out_.alone > 0 ? std::min(out_.alone, seconds) : seconds;
}

void Passes::took(Clock::time_point begun, int steps) {
  out_.steps += steps;
  // The first one makes room for itself.
  if (passes_++ == 0) return;
  seconds_ += seconds_since(begun);
  measured_ += steps;
  out_.in_pass = seconds_ / static_cast<Real>(measured_);
  if (passes_ == judged_after) out_.pays = out_.in_pass < out_.alone;
}

void Passes::one_by_one(int steps, int repeated) {
  alone_ = steps;
  out_.repeated += repeated;
}

}  // namespace williwaw
