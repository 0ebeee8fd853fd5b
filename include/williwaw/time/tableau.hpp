// A Runge-Kutta scheme is its tableau. The stepper that runs and the analysis that judges both read it.
#pragma once

#include <complex>
#include <optional>

#include "williwaw/balance/balance.hpp"

namespace williwaw {

/// Stage s: Q(y_s) = Q_0 + step·Σ_j a[s][j]·F_j with F_j at time + c[j]·step; the step ends with
/// Q_1 = Q_0 + step·Σ b[s]·F_s. Explicit or diagonally implicit: a[s][j] = 0 for j > s.
struct Tableau {
  std::vector<std::vector<Real>> a;
  std::vector<Real> b;
  std::vector<Real> c;
  /// Weights of a second answer of order `embedded_order`, whose distance from the first estimates the error
  /// of a step; empty where there is none.
  std::vector<Real> embedded = {};
  int embedded_order = 0;

  int stages() const { return static_cast<int>(b.size()); }
  bool is_explicit() const;
  /// The last stage is the end of the step.
  bool ends_with_last_stage() const;
  /// The first stage is the start of the step.
  bool starts_with_state() const;
  /// Throws InputError if the arrays do not fit each other or stages depend on later ones.
  void validate() const;
};

/// One stage y_s = (1 − fraction)·y_0 + fraction·y_{s−1} + weight·step·F(y_{s−1}).
struct TwoRegisterStage {
  Real fraction = 1, weight = 0;
};
/// The stages of an explicit scheme, the end of the step last, where each needs only the start and the stage
/// before it (Shu and Osher, 1988); nothing where some stage needs more.
std::optional<std::vector<TwoRegisterStage>> two_register_form(const Tableau& tableau);

/// The stages of an explicit scheme that a balance takes line by line (`ExplicitStages`): those of the form
/// above, and those of which each starts from the one before alone, while the step's end is their sum, as in
/// the classical scheme of order 4 (Kutta, 1901). Nothing for other schemes.
std::optional<ExplicitStages> stages_by_line(const Tableau& tableau);

/// Stability function R(z) = 1 + z·bᵀ(I − z·A)⁻¹·1 (Hairer and Wanner, 1996): what a step multiplies a mode
/// with eigenvalue z/step by.
std::complex<Real> stability_function(const Tableau& tableau, std::complex<Real> z);

/// Largest x such that |R(−s)| <= 1 for all s in [0, x]; infinity if there is no end.
Real real_stability_interval(const Tableau& tableau);

/// Largest r such that R is absolutely monotone on [−r, 0] (Bolley and Crouzeix, 1978): with data that do not
/// change in time, steps up to r over the largest diagonal entry are monotone.
Real monotonicity_radius_of_function(const Tableau& tableau);

/// Largest r for which the tableau is absolutely monotone (Kraaijevanger, 1991): the same for data that vary.
Real monotonicity_radius_of_tableau(const Tableau& tableau);

}  // namespace williwaw
