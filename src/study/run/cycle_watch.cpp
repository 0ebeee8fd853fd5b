#include "study/run/cycle_watch.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw::study {

namespace {
constexpr Index size_limit = 20000;
}

CycleWatch::CycleWatch(const Case& given, Prepared& prepared)
    : start_(given.plan.start),
      period_(given.cycle->period),
      tolerance_(given.cycle->tolerance),
      ends_run_(given.cycle->ends_run) {
  memory_.before = prepared.initial;
  const Capabilities capabilities = prepared.balance->capabilities();
  if (!capabilities.linear || !capabilities.steady_matrix || given.problem.grid().count() > size_limit)
    return;
  try {
    direct_.emplace(*prepared.balance, period_);
  } catch (const InputError& e) {
    throw given.places.error(Subject::cycle, e.what());
  }
}

bool CycleWatch::due(Real time) const {
  const Real cycles = (time - start_) / period_;
  const Index whole = std::llround(cycles);
  return whole > memory_.cycles &&
         std::abs(cycles - static_cast<Real>(whole)) <= 1e-9 * std::max(1.0, cycles);
}

bool CycleWatch::look(const StepInfo& m) {
  if (!due(m.time)) return false;
  const Index whole = std::llround((m.time - start_) / period_);
  memory_.change = 0;
  for (std::size_t n = 0; n < m.state.size(); ++n)
    memory_.change = std::max(memory_.change, std::abs(m.state[n] - memory_.before[n]));
  memory_.before = m.state;
  memory_.cycles = whole;
  // The first cycle starts from values that no cycle had.
  return whole > 1 && memory_.change <= tolerance_;
}

}  // namespace williwaw::study
