// Fluxes that know how much diffuses besides: between them and the diffusive flux they follow the exact
// profile between two unknowns, (exp(P·x/h) − 1)/(exp(P) − 1) with the cell Peclet number P = v·h/D, more or
// less closely.
#include "kinds.hpp"

namespace williwaw {
namespace {

// Upwind, with the diffusive flux reduced to `fraction` of itself.
fluxes::Weights reduced(Real v, Real conductance, Real fraction) {
  const Real less = (fraction - 1) * conductance;
  return {std::max(v, 0.0) + less, std::min(v, 0.0) - less};
}

// Central up to P = 2, beyond it upwind without diffusion (Spalding, 1972).
fluxes::Weights hybrid_weights(Real v, Real d, Real, Real) {
  return reduced(v, d, d > 0 ? std::max(0.0, 1 - 0.5 * std::abs(v) / d) : 0);
}

// (1 − P/10)⁵ of the diffusion (Patankar, 1980).
fluxes::Weights power_law_weights(Real v, Real d, Real, Real) {
  return reduced(v, d, d > 0 ? std::pow(std::max(0.0, 1 - 0.1 * std::abs(v) / d), 5) : 0);
}

}  // namespace

NumericalFlux fluxes::hybrid() {
  return {.name = "hybrid",
          .linear_only = true,
          .blends = true,
          .evaluate = by_weights<hybrid_weights>,
          .weights = hybrid_weights};
}

NumericalFlux fluxes::power_law() {
  return {.name = "power-law",
          .linear_only = true,
          .blends = true,
          .evaluate = by_weights<power_law_weights>,
          .weights = power_law_weights};
}

}  // namespace williwaw
