// The mean of both sides; storage times p and stress over conductivity, the conserved quantities, are spread
// by spacing/(2·step) (Lax, 1954).
#include "kinds.hpp"

namespace williwaw {
namespace {

using wave_fluxes_of::central_symbol;
using wave_fluxes_of::mean_of;
using wave_fluxes_of::second_difference;

RateAndStress lax_friedrichs_wave_flux(const WaveFace& f) {
  const RateAndStress mean = mean_of(f);
  const Real spread = 0.5 * f.spacing / f.step;
  return {mean.p + spread * (f.high.value.s - f.low.value.s) / f.mean_conductivity(),
          mean.s + spread * (f.high.value.p - f.low.value.p) * f.mean_storage()};
}

std::complex<Real> lax_friedrichs_wave_symbol(Real courant, Real angle, std::complex<Real>) {
  return central_symbol(courant, angle) + 0.5 * second_difference(angle);
}

}  // namespace

WaveFlux wave_fluxes_of::lax_friedrichs() {
  return {
      .name = "lax-friedrichs", .between = lax_friedrichs_wave_flux, .symbol = lax_friedrichs_wave_symbol};
}

}  // namespace williwaw
