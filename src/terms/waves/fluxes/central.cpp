// The mean of both sides: unstable with explicit Euler.
#include "kinds.hpp"

namespace williwaw {
namespace {

using wave_fluxes_of::central_symbol;
using wave_fluxes_of::mean_of;

RateAndStress central_wave_flux(const WaveFace& f) {
  return mean_of(f);
}

std::complex<Real> central_wave_symbol(Real courant, Real angle, std::complex<Real>) {
  return central_symbol(courant, angle);
}

}  // namespace

WaveFlux wave_fluxes_of::central() {
  return {.name = "central",
          .order = 2,
          .between = central_wave_flux,
          .symbol = central_wave_symbol,
          .centred = true};
}

}  // namespace williwaw
