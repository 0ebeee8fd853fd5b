// Time schemes declare themselves: the stepper that runs and the analysis that judges read the same words.
#pragma once

#include <functional>
#include <optional>
#include <variant>

#include "williwaw/time/tableau.hpp"

namespace williwaw {

/// Two tableaus with the same stages: a diagonally implicit one for fluxes, an explicit one for sources and
/// reactions (Ascher, Ruuth and Spiteri, 1997).
struct ImplicitExplicit {
  Tableau fluxes;
  Tableau sources;
};

/// One stage of a stabilized scheme: Y_j = (1 − μ − ν)·Y_0 + μ·Y_{j−1} + ν·Y_{j−2} + step·(μ̃·F_{j−1} +
/// γ̃·F_0), with F_j at time + c·step.
struct Recurrence {
  Real previous = 0;         ///< μ
  Real before_previous = 0;  ///< ν
  Real rate = 0;             ///< μ̃
  Real first_rate = 0;       ///< γ̃
  Real c = 0;
};

/// A family of explicit schemes whose real stability interval grows with the square of their stages.
struct Stabilized {
  std::function<std::vector<Recurrence>(int stages)> recurrences;
  std::function<Real(int stages)> interval;  ///< |R(−x)| <= 1 for x up to here
  int fewest = 2;
  int most = 250;
  /// Steps are chosen by their errors, which takes one more rate a step.
  bool estimates = false;

  /// Fewest stages whose interval holds `x`; `most` where none does.
  int stages_for(Real x) const;
};

/// ΔQ = memory(ω)·(ΔQ of the step before) + step·weight(ω)·F at the end, ω the ratio of this step to the one
/// before. For even steps these are the two polynomials ρ = ζ² − (1 + memory)·ζ + memory, σ = weight·ζ².
/// The first step, and one that follows a much shorter one, is taken with implicit Euler.
struct TwoStep {
  std::function<Real(Real)> memory, weight;
  Real largest_ratio = 2;
};

/// Alternating directions: Y_0 = Q + step·F(y), then for each axis Y_a = Y_{a−1} + θ·step·(F_a(Y_a) −
/// F_a(y)), sources with the first axis (Douglas, 1962; Hundsdorfer and Verwer, 2003).
struct Factored {
  Real theta = 0.5;
};

/// For equations of second order in time, C·u_tt + D·u_t = F(u): Newmark's family (1959) with γ = 1/2. β = 0
/// is leapfrog, C·(u₊ − 2u + u₋)/step² + D·(u₊ − u₋)/(2·step) = F(u); β = 1/4 is average acceleration. With
/// `corrected` the next term of the series is taken along: F + step²/12·d²F/dt² (Dablain, 1986; Shubin and
/// Bell, 1987).
struct SecondOrder {
  Real beta = 0;
  bool corrected = false;
};

/// Semi-Lagrangian advection at any Courant number, other terms by implicit
/// Euler (Robert, 1981).
struct SemiLagrangianMethod {};

/// A time scheme: a name, its formula and what it claims. Orders are claims that tests measure.
struct Scheme {
  std::string name;
  std::string title;
  int order = 1;
  std::variant<Tableau, ImplicitExplicit, Stabilized, TwoStep, Factored, SecondOrder, SemiLagrangianMethod>
      method;
  /// The same formula with one stage more, whose rates tell the error of a step; for steps chosen by it.
  std::optional<Tableau> estimating = {};

  /// Of a Runge-Kutta scheme; throws InputError for any other.
  const Tableau& tableau() const;
  bool is_runge_kutta() const { return std::holds_alternative<Tableau>(method); }
};

bool is_explicit(const Scheme& scheme);
/// True if a step comes with an estimate of its error, so that its length can be chosen by it.
bool estimates_error(const Scheme& scheme);
/// Stages of a step of `x` = largest eigenvalue times step; only a stabilized scheme asks for it.
int stages(const Scheme& scheme, Real x = 0);

/// The root of largest magnitude that multiplies a mode with eigenvalue z/step in one step. `stages` matters
/// to stabilized schemes. For schemes that treat sources or axes apart, all of z belongs to the fluxes of one
/// axis.
std::complex<Real> amplification(const Scheme& scheme, std::complex<Real> z, int stages = 0);
/// The same with one z for each axis and one for sources.
std::complex<Real> amplification(const Scheme& scheme, std::span<const Real> axes, Real sources,
                                 int stages = 0);
/// The same of a mode whose rate is `spread`/step by diffusion and `carried`/step by advection, which schemes
/// may take apart.
std::complex<Real> amplification_of_parts(const Scheme& scheme, std::complex<Real> spread,
                                          std::complex<Real> advected);
/// Made for equations of second order in time.
bool is_second_order(const Scheme& scheme);
/// Looks up where things were carried from: its balance is built with `semi_lagrangian`.
bool semi_lagrangian(const Scheme& scheme);
/// Marches equations of second order in time: made for them, or an explicit Runge-Kutta scheme, which takes
/// them as a pair of first order.
bool takes_second_order(const Scheme& scheme);
/// Both roots that multiply a mode of C·u_tt + D·u_t = F in one step: `x` = −eigenvalue·step², `d` =
/// damping·step.
std::array<std::complex<Real>, 2> wave_amplification(const Scheme& scheme, Real x, Real d = 0);
/// Largest x such that both roots stay within the unit circle for all s in [0, x]; 0 where none does.
Real wave_stability_interval(const Scheme& scheme, Real damping_over_frequency = 0);
/// Largest x such that |amplification(−s)| <= 1 for all s in [0, x], with as many stages as there may be.
Real real_stability_interval(const Scheme& scheme);
/// Radii of absolute monotonicity, as of tableaus; 0 where none is known.
Real monotonicity_radius_of_function(const Scheme& scheme);
Real monotonicity_radius_of_tableau(const Scheme& scheme);

/// The tableau that a stabilized scheme has with this number of stages.
Tableau tableau_of(const Stabilized& method, int stages);
/// The same for balances that take stages line by line.
ExplicitStages stages_by_line(const Stabilized& method, int stages);

/// A scheme as case files name it.
struct SchemeKind {
  std::string name;
  /// Name of its parameter, empty when it has none, and the range that it must lie in.
  std::string parameter;
  Real lowest = 0;
  Real highest = 0;
  std::function<Scheme(Real)> make;
};

/// Every scheme there is.
const std::vector<SchemeKind>& scheme_kinds();
/// The scheme called `name`; `parameter` is needed by "theta". Throws InputError.
Scheme scheme(const std::string& name, Real parameter = 0);

}  // namespace williwaw
