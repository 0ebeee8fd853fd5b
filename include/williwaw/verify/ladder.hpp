// One number on a ladder of resolutions: the order it shows, where it goes, and how far it may still be.
#pragma once

#include <string>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw::verify {

/// What a sequence of results says about itself.
enum class Trend {
  exact,        ///< differences are round-off
  asymptotic,   ///< orders agree with each other and with the theory
  approaching,  ///< orders are near the theory and move towards it
  off,          ///< orders agree with each other, but not with the theory
  erratic       ///< orders agree with nothing, or results do not settle
};
/// "the asymptotic range is reached", ..
std::string trend_text(Trend trend);

struct Climb {
  /// Between neighbouring levels (of errors), or between neighbouring differences (of values).
  std::vector<Real> orders;
  Trend trend = Trend::erratic;
  /// Where values go with ever finer resolution (Richardson, 1911), and how far the finest may be from it:
  /// the last difference carried on by the order that is safe to assume, times 1.25 where the asymptotic
  /// range is reached and 3 where it is not (Roache, 1994).
  Real extrapolated = 0;
  Real uncertainty = 0;
};

/// From errors against a known solution. `ratio` is that of the spacings (or steps) of neighbouring levels,
/// > 1, `theory` the order that is due. Errors below `floor` count as round-off. Needs two levels or more.
Climb climb_errors(const std::vector<Real>& errors, Real ratio, Real theory, Real floor = 0);
/// From values, coarse to fine, without a known solution. Needs three levels or more; throws InputError.
Climb climb_values(const std::vector<Real>& values, Real ratio, Real theory, Real floor = 0);
/// From sizes of the differences between neighbouring levels: fields, whose differences have no sign.
Climb climb_differences(const std::vector<Real>& differences, Real ratio, Real theory, Real floor = 0);

/// Uncertainty of the finer of two results whose resolutions stand in `ratio`, when the order is only known
/// by theory: safety·|difference| / (ratio^order − 1).
Real uncertainty_of_two(Real difference, Real ratio, Real order, Real safety = 1.5);

}  // namespace williwaw::verify
