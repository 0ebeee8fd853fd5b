// The blow-up guard: stops a run as soon as it leaves what its data and sources allow, while all values are
// still numbers that can be looked at.
#pragma once

#include <optional>

#include "williwaw/time/budget.hpp"

namespace williwaw {

/// Of waves, over the energy that was put in: a hundred-fold displacement.
inline constexpr Real tolerated_energy = 1e4;

/// The bound is that of the maximum principle: nothing lies outside the initial values and the values
/// boundaries pull to, widened by the fastest rise and fall that sources and boundary fluxes can cause.
/// Schemes that are stable without obeying it exactly (Crank-Nicolson on rough data) overshoot by a part of
/// that range, so the guard waits until the range is left by several times its own width. No such principle
/// holds for waves: they must not hold many times the energy that was put in.
class Guard {
 public:
  Guard() = default;
  Guard(Balance& balance, const Totals& initial, Real at);

  /// Says what is wrong with the state reached after `step`, or nothing.
  std::optional<std::string> check(Balance& balance, const Totals& totals, Real at, Real step,
                                   const Budget& budget);

  Real lowest() const { return lowest_; }
  Real highest() const { return highest_; }

  /// All numbers, to be written down, and the guard that they came from.
  std::vector<Real> remember() const;
  static Guard recall(const std::vector<Real>& numbers);

 private:
  void widen(const DataBounds& data_bounds, Real step);

  bool known_ = true;
  bool steady_ = false;
  DataBounds last_;
  Real lowest_ = 0;
  Real highest_ = 0;
};

}  // namespace williwaw
