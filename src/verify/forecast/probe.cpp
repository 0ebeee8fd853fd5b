#include "verify/forecast/probe.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw::verify {

namespace {
// Steps times unknowns: a second or so.
constexpr Real probe_work = 5e7;
}  // namespace

std::array<bool, 3> uniform_along(const Discretization& balance, const State& y, Real fraction) {
  const Grid& g = balance.grid();
  std::array<bool, 3> result{false, false, false};
  Real low = std::numeric_limits<Real>::infinity(), high = -low;
  for (Index n = 0; n < g.count(); ++n)
    if (balance.outline().active(n)) {
      low = std::min(low, y[static_cast<std::size_t>(n)]);
      high = std::max(high, y[static_cast<std::size_t>(n)]);
    }
  const Real slack = fraction * (high - low);
  Index stride = 1;
  for (int a = 0; a < g.dimension(); ++a) {
    result[static_cast<std::size_t>(a)] = true;
    for (Index n = 0; n < g.count(); ++n)
      if (g.position(n)[a] + 1 < g.size(a) && balance.outline().active(n) &&
          balance.outline().active(n + stride)) {
        const Real d = y[static_cast<std::size_t>(n + stride)] - y[static_cast<std::size_t>(n)];
        if (!(std::abs(d) <= slack)) {
          result[static_cast<std::size_t>(a)] = false;
          break;
        }
      }
    stride *= g.size(a);
  }
  return result;
}

Prober::Prober(Discretization& balance, const Scheme& scheme, Real step, Real at)
    : balance_(balance),
      stepper_(make_stepper(balance, scheme)),
      step_(step),
      at_(at),
      y_(balance.initial_state()),
      amounts_(balance.lines().size()) {
  balance.prescribe(at, y_);
  const Totals totals = balance.totals(y_, at);
  guard_ = Guard(balance, totals, at);
  budget_ = Budget(balance.lines(), totals, 0);
  // Steps of small grids cost what it takes to start them.
  const Real size = std::max(1000.0, static_cast<Real>(balance.grid().count())) *
                    static_cast<Real>(std::max(1, stages(scheme, 0)));
  most_ = static_cast<Index>(probe_work / size);
}

Index Prober::go(Index steps) {
  const Index first = steps_;
  while (steps_ < first + steps && steps_ < most_ && !left_) {
    before_ = y_;
    const Real from = at_ + static_cast<Real>(steps_) * step_;
    const Totals totals = stepper_->advance(y_, from, step_, amounts_);
    ++steps_;
    left_ = guard_.check(balance_, totals, from + step_, step_, budget_).has_value();
  }
  return steps_ - first;
}

State Prober::change() const {
  State result(y_.size());
  for (std::size_t n = 0; n < y_.size() && !before_.empty(); ++n) result[n] = y_[n] - before_[n];
  return result;
}

}  // namespace williwaw::verify
