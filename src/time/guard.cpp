#include "williwaw/time/guard.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {
// How many widths of its own range a state may lie outside it. Ringing stays below one; a mode that grows by
// less than a hundred-fold a step is caught within a thousand.
constexpr Real tolerated_widths = 9;
}  // namespace

Guard::Guard(Balance& balance, const Totals& initial, Real at)
    : lowest_(initial.lowest), highest_(initial.highest) {
  last_ = balance.data_bounds(at);
  widen(last_, 0);
}

void Guard::widen(const DataBounds& data_bounds, Real step) {
  known_ = known_ && data_bounds.known;
  steady_ = data_bounds.steady;
  lowest_ = std::min(lowest_, data_bounds.lowest) - step * data_bounds.lowering;
  highest_ = std::max(highest_, data_bounds.highest) + step * data_bounds.raising;
}

std::vector<Real> Guard::remember() const {
  return {known_ ? 1.0 : 0.0,
          steady_ ? 1.0 : 0.0,
          lowest_,
          highest_,
          last_.lowest,
          last_.highest,
          last_.raising,
          last_.lowering,
          last_.known ? 1.0 : 0.0,
          last_.steady ? 1.0 : 0.0};
}

Guard Guard::recall(const std::vector<Real>& n) {
  Guard g;
  g.known_ = n.at(0) != 0;
  g.steady_ = n.at(1) != 0;
  g.lowest_ = n.at(2);
  g.highest_ = n.at(3);
  g.last_ = {n.at(4), n.at(5), n.at(6), n.at(7), n.at(8) != 0, n.at(9) != 0};
  return g;
}

std::optional<std::string> Guard::check(Balance& balance, const Totals& totals, Real at, Real step,
                                        const Budget& budget) {
  if (!totals.finite()) return "the solution is no longer a finite number";
  if (balance.capabilities().second_order) {
    const SecondOrderDynamics& dynamics = balance.dynamics();
    const Real supplied = budget.supplied_besides(dynamics.scheme_line());
    if (totals.gross <= tolerated_energy * supplied) return std::nullopt;
    return "the wave holds " + to_text(totals.gross / supplied) + " times the energy that was put in";
  }
  if (!known_) return std::nullopt;
  if (steady_) {
    widen(last_, step);
  } else {
    // What acted at the start of the step and what acts at its end.
    const DataBounds now = balance.data_bounds(at);
    DataBounds both = now;
    both.raising = std::max(now.raising, last_.raising);
    both.lowering = std::max(now.lowering, last_.lowering);
    widen(both, step);
    last_ = now;
  }
  // A range without any width (all values alike) still has the width of its own round-off, many times over.
  const Real width = std::max(highest_ - lowest_, 1e-6 * std::max(std::abs(highest_), std::abs(lowest_)));
  const Real outside = std::max(totals.highest - highest_, lowest_ - totals.lowest);
  if (outside <= tolerated_widths * width) return std::nullopt;
  return "the solution has left the range that data and sources allow by " + to_text(outside / width) +
         " times its width";
}

}  // namespace williwaw
