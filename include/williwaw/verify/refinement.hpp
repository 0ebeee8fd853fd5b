// One number on a refinement study of resolutions: the order it shows, where it goes, and how far it may
// still be.
#pragma once

#include <span>
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
  erratic,      ///< orders agree with nothing, or results do not settle
  no_limit      ///< differences have one sign and do not shrink, as those of a logarithm
};
/// "the asymptotic range is reached", ..
std::string trend_text(Trend trend);

struct OrderStudy {
  /// Between neighbouring levels (of errors), or between neighbouring differences (of values).
  std::vector<Real> orders;
  Trend trend = Trend::erratic;
  /// Where values go with ever finer resolution (Richardson, 1911), and how far the finest may be from it:
  /// the last difference extrapolated by the order that is safe to assume, times 1.25 where the asymptotic
  /// range is reached and 3 where it is not (Roache, 1994).
  Real extrapolated = 0;
  Real uncertainty = 0;
};

/// From errors against a known solution. `ratio` is that of the spacings (or steps) of neighbouring levels,
/// > 1, `theory` the expected order. Errors below `floor` count as round-off. Needs two levels or more.
OrderStudy study_errors(const std::vector<Real>& errors, Real ratio, Real theory, Real floor = 0);
/// From values, coarse to fine, without a known solution. Needs three levels or more; throws InputError.
OrderStudy study_values(const std::vector<Real>& values, Real ratio, Real theory, Real floor = 0);
/// From sizes of the differences between neighbouring levels: fields, whose differences have no sign.
OrderStudy study_differences(const std::vector<Real>& differences, Real ratio, Real theory, Real floor = 0);

/// What one number, computed with several resolutions, says of the finest of them.
struct LevelSpread {
  Real uncertainty = 0;
  /// What leads from the finest value to the limit, where differences are even; 0 otherwise. `uncertainty` is
  /// 1.5 times its size then.
  Real correction = 0;
  Real order = 0;       ///< with which it is extrapolated
  bool even = true;     ///< differences have one sign and shrink by about the expected order, or faster
  bool shrinks = true;  ///< false: differences do not get smaller, there is no limit in sight
};
/// From one to three levels, the finest first: `ratios` are their spacings (or steps) over the finest's, 1 at
/// first and rising. Of differences that shrink evenly the last is extrapolated by the order that they show,
/// by `theory` at most, times 1.5; where they change sign or shrink faster than expected, the larger of what
/// either of them leads to. With two levels the expected order is assumed and the factor is 2. Differences
/// below `floor` are round-off.
LevelSpread spread_of(std::span<const Real> values, std::span<const Real> ratios, Real theory,
                      Real floor = 0);
/// From four levels or more whose errors scatter, as where an outline falls differently on each grid: fits of
/// value + constant·spacing^order for orders of 1/2, 1 and `theory`, those that
/// scatter least, weighted by 1/spacing; the distance to the
/// value of the fit times 1.15, and the scatter about it times 1.7 (in the manner of Eça and Hoekstra, 2014).
LevelSpread spread_about_fit(std::span<const Real> values, std::span<const Real> ratios, Real theory,
                             Real floor = 0);

/// Whether values change with the logarithm of the spacing: all differences of neighbouring levels have one
/// sign, and over the logarithm of the ratio they do not get smaller by more than a fifth towards the finest.
bool grows_like_logarithm(std::span<const Real> values, std::span<const Real> ratios);

/// Uncertainty of the finer of two results whose resolutions stand in `ratio`, when the order is only known
/// by theory: safety·|difference| / (ratio^order − 1).
Real uncertainty_of_two(Real difference, Real ratio, Real order, Real safety = 1.5);

}  // namespace williwaw::verify
