// Steps of operators that are not normal, where eigenvalues alone lie.
#pragma once

#include <complex>

#include "williwaw/balance/balance.hpp"
#include "williwaw/time/scheme.hpp"

namespace williwaw::verify {

/// The judgement of one scheme and step on any balance that offers a matrix, in the inner product of what is
/// stored. For small problems: all matrices are dense.
struct Judgement {
  /// ‖A·Aᵀ − Aᵀ·A‖ / ‖A‖²: 0 for a normal operator.
  Real departure = 0;
  bool normal() const { return departure < 1e-10; }
  std::vector<std::complex<Real>> eigenvalues;
  /// Up to here every eigenvalue times the step lies where |R| <= 1. Sharp for a normal operator, too large
  /// for any other: powers may still grow beyond all bounds on the way.
  Real eigenvalue_limit = 0;
  /// Up to here the whole numerical range does, which bounds all powers by 1 + √2 (Crouzeix and Palencia,
  /// 2017).
  Real safe_limit = 0;
  /// Largest ‖R(A·step)ⁿ‖ over n, and that n; steps up to `steps_looked_at` were tried.
  Real transient_growth = 1;
  Index at_step = 0, steps_looked_at = 0;
};

/// Throws InputError for a balance without a matrix, with more than 600 unknowns, or a scheme that treats
/// parts of the balance apart.
Judgement judge(Balance& balance, const State& about, const Scheme& scheme, Real step, Real at = 0);

}  // namespace williwaw::verify
