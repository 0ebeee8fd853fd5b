// Limits of waves as a first-order system: both characteristics are carried, and the numerical flux and the
// reconstruction say how. By von Neumann's analysis in an even medium.
#include <algorithm>
#include <cmath>
#include <complex>

#include "verify/complex.hpp"
#include "verify/search.hpp"
#include "williwaw/terms/reconstruction.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

namespace {

// step·eigenvalue of a characteristic carried with Courant number `courant`; limited slopes as if unlimited.
Complex symbol(const Problem& problem, Real courant, Real angle) {
  const Complex wave = std::polar(1.0, angle), back = std::conj(wave);
  if (problem.numerical_flux == "central") return -courant * 0.5 * (wave - back);
  if (problem.numerical_flux == "lax-friedrichs")
    return -courant * 0.5 * (wave - back) + 0.5 * (wave - 2.0 + back);
  if (problem.numerical_flux == "lax-wendroff")
    return -courant * 0.5 * (wave - back) + 0.5 * courant * courant * (wave - 2.0 + back);
  const Complex face = problem.reconstruction == "first-order" ? Complex(1) : 1.0 + 0.25 * (wave - back);
  return -courant * face * (1.0 - back);
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
  const bool plain = problem.reconstruction == "first-order" && problem.grid().dimension() == 1;
  result.limit = {low / fastest, plain ? Limit::Standing::bound : Limit::Standing::heuristic, where};
  result.interior = {low / fastest, Limit::Standing::heuristic, where};
  // Up to there limited characteristics gain no total variation inside (Gottlieb, Shu and Tadmor, 2001).
  const ReconstructionKind& kind = reconstruction_kind(problem.reconstruction);
  if (kind.limited && problem.numerical_flux == "upwind")
    result.positivity = {kind.courant * monotonicity_radius_of_tableau(scheme) / fastest,
                         Limit::Standing::bound, where};
  result.courant_number = fastest * step;
  result.worst = where;
  result.largest_eigenvalue = 4 * fastest * fastest;
  result.method = "by the symbol of the numerical flux";
  return result;
}

}  // namespace williwaw::verify
