// Numerical fluxes of waves as a first-order system in the rate and the stress.
#pragma once

#include <complex>
#include <string>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Rate p = du/dt and stress s = conductivity·∇u along an axis.
struct RateAndStress {
  Real p = 0, s = 0;
};

/// A face between two cells as numerical fluxes see it.
struct WaveFace {
  struct Side {
    RateAndStress value;  ///< beside the face
    Real storage, conductivity;
    Real impedance;  ///< √(conductivity·storage)
  };
  Side low, high;
  Real spacing;
  Real step;  ///< length of the step; 0 where it is not known

  Real mean_storage() const { return 0.5 * (low.storage + high.storage); }
  Real mean_conductivity() const { return 0.5 * (low.conductivity + high.conductivity); }
};

/// A numerical flux of waves as case files name it.
struct WaveFlux {
  std::string name;
  /// Order on smooth data with first-order reconstruction.
  int order = 1;
  RateAndStress (*between)(const WaveFace& face);
  /// step·eigenvalue of a characteristic advected with this Courant number, for a wave with this angle
  /// between neighbours; `face` is what reconstruction makes of the value at 1/2.
  std::complex<Real> (*symbol)(Real courant, Real angle, std::complex<Real> face);
  /// Takes the differences of both neighbours beside boundaries, not limited slopes.
  bool centred = false;
  /// Values on faces are those of half a step later.
  bool half_step_ahead = false;
  /// Limited reconstructions keep characteristics monotone with it.
  bool monotone = false;
};

/// upwind (Godunov, 1959), central, lax-friedrichs, lax-wendroff (1960).
const std::vector<WaveFlux>& wave_fluxes();
/// Throws InputError for a name that is not there.
const WaveFlux& wave_flux(const std::string& name);

}  // namespace williwaw
