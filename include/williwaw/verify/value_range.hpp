// Which values a solution can take over a whole run.
#pragma once

#include "williwaw/terms/advection_term.hpp"
#include "williwaw/terms/discretization.hpp"

namespace williwaw::verify {

/// The values that data allow: the initial ones, those that boundaries pull to at any time of the run, and
/// what sources can add until its end (the maximum principle of the equation; schemes that keep extrema keep
/// to it).
struct ValueRange {
  Range values;
  /// False where nothing bounds them; `values` is then the range of the data alone.
  bool bounded = true;
  std::string why_not;  ///< "'east' is closed to the flux, which can pile up there"
};

/// Data that change in time are looked at at 33 times.
ValueRange values_allowed(Discretization& balance, const State& initial, Real from, Real until);

}  // namespace williwaw::verify
