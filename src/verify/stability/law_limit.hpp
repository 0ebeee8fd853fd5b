// Limits of conservation laws over a range of values.
#pragma once

#include "verify/stability/advection_symbol.hpp"

namespace williwaw::verify {

/// The limit of a step of a law over a range of values, from one worst place: monotone schemes keep to the
/// range, others are judged by their symbol.
class LawLimit {
 public:
  /// `spread` is the largest rate at which diffusion takes from an unknown, `radius` the scheme's radius of
  /// monotonicity. `now` must outlive this.
  LawLimit(const Discretization& balance, const Scheme& scheme, const AtTime& now, Place worst, Real spread,
           Real radius);

  /// Up to which nothing leaves the range; 0 where nothing is known.
  Real positivity(const std::array<Real, 3>& speeds) const;
  /// By von Neumann's analysis.
  Real interior(const std::array<Real, 3>& speeds) const {
    return limit_at(advection_, scheme_, with(speeds));
  }
  /// Whether a step is within the limit for values in this range; costs no search.
  bool allows(const Range& values, Real step) const;

 private:
  Place with(const std::array<Real, 3>& speeds) const;

  const EvaluatedAdvection& advection_;
  const Scheme& scheme_;
  Place worst_;
  Real spread_, radius_ = 0, fraction_ = 1;
  std::array<Real, 3> passing_;
};

/// The widest values around `about` for which the step is within its limit; each end alone, then both.
Range stable_values(const LawLimit& limit, const Range& about, Real step);

}  // namespace williwaw::verify
