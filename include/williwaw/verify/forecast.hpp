// The forecast of an unstable step: which modes grow, how much of them the data hold, and when they swamp the
// solution.
#pragma once

#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

/// What becomes of a run with an unstable step.
struct Forecast {
  /// Modes that grow, of how many; 0 of 0 where the spectrum is only bounded.
  Index growing = 0, modes = 0;
  /// Factor per step of the fastest mode, and its eigenvalue.
  Real factor = 1, eigenvalue = 0;
  /// The mode that first swamps the solution: factor, amplitude that initial values and data hold of it
  /// (largest value, in the unknown's unit; 0 where only round-off does), place of its largest value, and its
  /// shape, largest value 1.
  Real leading_factor = 1, amplitude = 0;
  Index peak = 0;
  State shape;
  /// Changes of sign from one unknown to the next along each axis, of `changes_possible`.
  std::array<Index, 3> sign_changes{0, 0, 0}, changes_possible{0, 0, 0};
  /// True where initial values and data hold growing modes; otherwise round-off seeds them.
  bool seeded = false;
  /// Neither data nor arithmetic hold anything of any mode that grows: nothing does unless something disturbs
  /// it.
  bool dormant = false;
  /// Data and arithmetic are uniform along these axes: modes that vary along them have no seed.
  std::array<bool, 3> uniform{false, false, false};
  /// Steps between which the solution leaves its range as the blow-up guard sees it; infinite where nothing
  /// grows.
  Real first_step = 0, last_step = 0;
  /// Step from which the growing part is a hundredth of the range of the data.
  Real visible_step = 0;
  /// Place where the growing part is largest then.
  Index where = 0;
};

/// What a state that was left looks like against the middle of its range: shape, place of the largest value,
/// changes of sign, and the axes along which it is uniform to a millionth. Growth and steps are left at 0.
Forecast seen_in(const Discretization& balance, const State& state);

/// Foresees a run of fixed steps of `step` from the problem's initial values at time `at`. Exact up to
/// round-off for linear problems whose coefficients, sources and boundaries do not change in time; with data
/// that change, what they are at the start counts and the steps are a bracket. Nothing where the step is
/// stable, or no mode can be told because the problem is too large and not separable.
std::optional<Forecast> forecast(Discretization& balance, const Scheme& scheme, Real step, Real at = 0);

/// Rates at which all modes decay; empty where the problem is too large and not separable.
std::vector<Real> decay_rates(Discretization& balance, Real at = 0);

}  // namespace williwaw::verify
