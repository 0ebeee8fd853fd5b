// The mean of both sides, half a step later (Lax and Wendroff, 1960).
#include "kinds.hpp"

namespace williwaw {
namespace {

using wave_fluxes_of::central_symbol;
using wave_fluxes_of::mean_of;
using wave_fluxes_of::second_difference;

RateAndStress lax_wendroff_wave_flux(const WaveFace& f) {
  const RateAndStress mean = mean_of(f);
  const Real half = 0.5 * f.step / f.spacing;
  return {mean.p + half * (f.high.value.s - f.low.value.s) / f.mean_storage(),
          mean.s + half * (f.high.value.p - f.low.value.p) * f.mean_conductivity()};
}

std::complex<Real> lax_wendroff_wave_symbol(Real courant, Real angle, std::complex<Real>) {
  return central_symbol(courant, angle) + 0.5 * courant * courant * second_difference(angle);
}

}  // namespace

WaveFlux wave_fluxes_of::lax_wendroff() {
  return {.name = "lax-wendroff",
          .order = 2,
          .between = lax_wendroff_wave_flux,
          .symbol = lax_wendroff_wave_symbol,
          .centred = true,
          .half_step_ahead = true};
}

}  // namespace williwaw
