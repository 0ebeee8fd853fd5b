// What a file of a wave's numerical flux defines: NAME(), and a line KIND(NAME) in list.inc.
#pragma once

#include "williwaw/terms/wave_flux.hpp"

namespace williwaw::wave_fluxes_of {

#define KIND(name) WaveFlux name();
#include "list.inc"
#undef KIND

/// Of central differences.
inline std::complex<Real> central_symbol(Real courant, Real angle) {
  const auto wave = std::polar(1.0, angle), back = std::conj(wave);
  return -courant * 0.5 * (wave - back);
}
inline std::complex<Real> second_difference(Real angle) {
  const auto wave = std::polar(1.0, angle), back = std::conj(wave);
  return wave - 2.0 + back;
}
inline RateAndStress mean_of(const WaveFace& f) {
  return {0.5 * (f.low.value.p + f.high.value.p), 0.5 * (f.low.value.s + f.high.value.s)};
}

}  // namespace williwaw::wave_fluxes_of
