// The characteristics s ∓ Z·p from both sides, each with the impedance of its own (Godunov, 1959; LeVeque,
// 2002).
#include "kinds.hpp"

namespace williwaw {
namespace {

RateAndStress upwind_wave_flux(const WaveFace& f) {
  const Real z_low = f.low.impedance, z_high = f.high.impedance;
  const Real from_low = f.low.value.s - z_low * f.low.value.p,
             from_high = f.high.value.s + z_high * f.high.value.p;
  return {(from_high - from_low) / (z_low + z_high),
          (z_high * from_low + z_low * from_high) / (z_low + z_high)};
}

std::complex<Real> upwind_wave_symbol(Real courant, Real angle, std::complex<Real> face) {
  return -courant * face * (1.0 - std::polar(1.0, -angle));
}

}  // namespace

WaveFlux wave_fluxes_of::upwind() {
  return {.name = "upwind", .between = upwind_wave_flux, .symbol = upwind_wave_symbol, .monotone = true};
}

}  // namespace williwaw
