// Numerical fluxes: what flows through faces, from the values on both sides of them, line by line.
#pragma once

#include <limits>
#include <memory>
#include <string>
#include <vector>

#include "williwaw/problem/advection.hpp"

namespace williwaw {

/// Where a flux law turns (its speed changes sign) within a range of values, and where its speed is largest.
/// Found once for a range, from the law's own speed: by bisection between samples.
class TurningPoints {
 public:
  TurningPoints() = default;
  TurningPoints(const FluxLaw& law, int direction, Real lowest, Real highest);

  const std::vector<Real>& places() const { return places_; }
  /// The flux there.
  const std::vector<Real>& fluxes() const { return fluxes_; }
  /// Where the magnitude of the speed peaks between the ends, and that magnitude.
  const std::vector<std::pair<Real, Real>>& peaks() const { return peaks_; }
  /// Largest speed within a range of values, a part of the one looked at.
  Real largest_speed(const FluxLaw& law, int direction, Real lowest, Real highest) const;

 private:
  std::vector<Real> places_, fluxes_;
  std::vector<std::pair<Real, Real>> peaks_;
  bool finite_ = true;  ///< the speed is a finite number at every sample
};

/// A line of faces as numerical fluxes see it. All fluxes are densities, positive upwards along the axis.
struct FaceLine {
  Index count = 0;
  const Real* left = nullptr;   ///< values before each face
  const Real* right = nullptr;  ///< and after it
  /// Velocity at each face, where the law is linear.
  const Real* velocity = nullptr;
  /// Otherwise the law, along the axis of this direction.
  const FluxLaw* law = nullptr;
  int direction = 0;
  const TurningPoints* turning = nullptr;
  Real largest_speed = 0;  ///< anywhere along this axis
  /// Diffusive conductance over area at each face; null where nothing diffuses.
  const Real* conductance = nullptr;
  /// Length of the step over the spacing; 0 where it is not known.
  Real step_over_spacing = 0;
  /// Room for four lines of values.
  Real* workspace = nullptr;
};

/// A numerical flux as case files name it.
struct NumericalFlux {
  std::string name;
  /// Order on smooth data with first-order reconstruction.
  int order = 1;
  /// Without limits on neighbours' weights beyond this cell Peclet number a steady line oscillates.
  Real largest_peclet = std::numeric_limits<Real>::infinity();
  /// Takes velocities only, not flux laws.
  bool linear_only = false;
  /// Knows the length of the step: for explicit Euler alone.
  bool needs_step = false;
  /// Never falls with the value before the face and never rises with the one after it, for any law.
  bool monotone = false;
  /// Makes up for what diffuses: for steady states and first-order reconstruction.
  bool blends = false;
  /// May be split by the largest speed into what goes up and what goes down, each reconstructed by itself.
  bool splits = false;
  void (*evaluate)(const FaceLine& line, Real* out);
  /// Of a velocity v: the flux is first·left + second·right. `conductance` as in FaceLine.
  std::pair<Real, Real> (*weights)(Real velocity, Real conductance, Real largest_speed,
                                   Real step_over_spacing);
};

/// central, upwind (Godunov, 1959), engquist-osher (1981), local-lax-friedrichs (Rusanov, 1961),
/// lax-friedrichs (with the largest speed anywhere), lax-wendroff (1960), hybrid (Spalding, 1972), power-law
/// (Patankar, 1980).
const std::vector<NumericalFlux>& numerical_fluxes();
/// Throws InputError for a name that is not there.
const NumericalFlux& numerical_flux(const std::string& name);

}  // namespace williwaw
