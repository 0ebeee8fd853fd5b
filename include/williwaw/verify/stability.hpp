// Judges a step before it is taken, from the same declarations that run.
#pragma once

#include <cmath>
#include <optional>

#include "williwaw/terms/discretization.hpp"
#include "williwaw/time/scheme.hpp"
#include "williwaw/verify/value_range.hpp"

namespace williwaw::verify {

/// A largest step, and what stands behind it.
struct Limit {
  enum class Standing {
    sharp,      ///< stable up to it, unstable beyond it
    bracketed,  ///< stable up to it, unstable from `unstable_from` on
    bound,      ///< stable up to it; the true limit may be larger
    heuristic   ///< that of a problem without boundaries and with the worst place's coefficients everywhere
  };
  Real step = 0;  ///< infinite where there is no limit
  Standing standing = Standing::sharp;
  /// The unknown that decides it, where one does.
  std::optional<Index> where;
  /// Of a bracketed limit.
  Real unstable_from = std::numeric_limits<Real>::infinity();
};

/// The answer for one scheme, problem and step. Times are those of the problem (s, or dimensionless).
struct Stability {
  Real step = 0;
  /// Largest step that is stable: |R(−λ·step)| <= 1 for every eigenvalue λ of the operator. Bracketed where
  /// the spectrum is not to be had in closed form and the problem is too large for dense eigenvalues.
  Limit limit;
  /// Limit by von Neumann's analysis at the worst place, boundaries left out.
  Limit interior;
  /// Monotonicity limit (sufficient).
  Limit positivity;
  /// Σ over axes of D·step/h², largest value and where.
  Real diffusion_number = 0;
  /// Of waves: step·√(Σ over axes of speed²/h²), largest value, at `worst`.
  Real courant_number = 0;
  bool wave = false;
  Index worst = 0;
  Real largest_eigenvalue = 0;
  /// Slowest decay rate, where the spectrum is known.
  std::optional<Real> smallest_eigenvalue;
  /// How the spectrum was found: "axis by axis", "by bisection" (one dimension), "by dense eigenvalues", or
  /// only bounded, "between the Lanczos process and Gershgorin's circles".
  std::string method;
  /// Number of times at which a problem that changes in time was judged; 1 for one that does not.
  int times = 1;

  /// Of waves: the step is the limit itself, where the fastest mode has a double root of modulus one and may
  /// grow in proportion to the steps.
  bool on_the_border() const {
    return wave && limit.step > 0 && !std::isinf(limit.step) && std::abs(fraction_of_limit() - 1) <= 1e-9;
  }

  /// Of laws, whose limit depends on the values: those that data allow, over which the step was judged, and
  /// those for which it is within its limit. A run stops when it leaves them.
  std::optional<ValueRange> allowed;
  std::optional<Range> stable_for;

  /// Stages of a step; only stabilized schemes choose them.
  int stages = 1;

  bool stable() const { return limit.step > 0 && step <= limit.step * (1 + 1e-10); }
  /// step over limit; 0 where there is no limit.
  Real fraction_of_limit() const { return step / limit.step; }
};

/// Judges `step` for a problem with passive boundaries, whose operator is symmetric in the storage inner
/// product; for waves that is the operator of the force, and modes oscillate with the roots of its
/// eigenvalues. `from` and `until` tell which times count for coefficients that change. Throws InputError.
Stability stability(Discretization& balance, const Scheme& scheme, Real step, Real from = 0, Real until = 0);
Stability stability(const Problem& problem, const Scheme& scheme, Real step, Real from = 0, Real until = 0);

/// The same of a wave as a first-order system.
Stability stability_of_system(Discretization& balance, const Scheme& scheme, Real step);

/// The same of several unknowns, about the values of the start: reactions may turn modes round, and those
/// that turn faster than they decay set no limit.
Stability stability_of_coupled(Discretization& balance, const Scheme& scheme, Real step, Real from);

/// Up to how many unknowns dense eigenvalues are computed.
inline constexpr Index dense_limit = 600;

}  // namespace williwaw::verify
