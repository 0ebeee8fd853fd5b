// Limits of waves as a first-order system: both characteristics are carried, and the numerical flux and the
// reconstruction say how. By von Neumann's analysis in an even medium.
#include <algorithm>
#include <cmath>
#include <complex>

#include "verify/complex.hpp"
#include "verify/search.hpp"
#include "williwaw/terms/reconstruction.hpp"
#include "williwaw/terms/wave_flux.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

namespace {

// Limited slopes as if unlimited.
Complex symbol(const Problem& problem, Real courant, Real angle) {
  const bool constant = reconstruction_kind(problem.reconstruction).order == 1;
  const Complex face = constant ? Complex(1) : Complex(1, 0.5 * std::sin(angle));
  return wave_flux(problem.numerical_flux).symbol(courant, angle, face);
}

}  // namespace

Stability stability_of_system(Discretization& balance, const Scheme& scheme, Real step) {
  const Problem& problem = balance.problem();
  const auto [fastest, where] = balance.first_order_form()->fastest();
  const auto holds = [&](Real courant) {
    for (int n = 0; n <= 720; ++n)
      if (std::abs(amplification(scheme, symbol(problem, courant, M_PI * n / 720))) > 1 + 1e-10) return false;
    return true;
  };
  const Real low = largest_step(holds, 1e-3, 1.02, 1e5);
  Stability result;
  result.wave = true;
  result.step = step;
  result.stages = stages(scheme);
  const ReconstructionKind& kind = reconstruction_kind(problem.reconstruction);
  const bool plain = kind.order == 1 && problem.grid().dimension() == 1;
  result.limit = {low / fastest, plain ? Limit::Standing::bound : Limit::Standing::heuristic, where};
  result.interior = {low / fastest, Limit::Standing::heuristic, where};
  // Up to there limited characteristics gain no total variation inside (Gottlieb, Shu and Tadmor, 2001).
  if (kind.limited && wave_flux(problem.numerical_flux).monotone)
    result.positivity = {kind.courant * monotonicity_radius_of_tableau(scheme) / fastest,
                         Limit::Standing::bound, where};
  result.courant_number = fastest * step;
  result.worst = where;
  result.largest_eigenvalue = 4 * fastest * fastest;
  result.method = "by the symbol of the numerical flux";
  return result;
}

}  // namespace williwaw::verify
