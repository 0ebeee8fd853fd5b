// What advection means for a step and a grid: Courant and cell Peclet numbers, numerical diffusion, outlets
// where there is backflow.
#pragma once

#include "williwaw/terms/advection_term.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

/// A boundary through which the flow comes in at some time though it lets out whatever comes.
struct OutletBackflow {
  std::string boundary;
  Real largest = 0;  ///< velocity into the domain
  Real time = 0;     ///< when
  /// What comes in has a value of its own, or loses some of it; otherwise nothing bounds it.
  bool bounded = false;
};

struct AdvectionNumbers {
  /// Largest Σ over axes of speed·step/width, and where; 0 without a step.
  Real courant = 0;
  Index courant_at = 0;
  /// Largest speed·width/diffusivity along any axis, and where; infinite where nothing diffuses.
  Real peclet = 0;
  Index peclet_at = 0;
  /// Largest speed along each axis.
  std::array<Real, 3> speed{0, 0, 0};
  /// At the place of the largest Courant number, along each axis: the real diffusivity, and what the scheme
  /// in space and time adds to it for waves that are long against the grid (its modified equation, after
  /// Warming and Hyett, 1974); below zero it takes some away.
  std::array<Real, 3> diffusivity{0, 0, 0}, numerical_diffusion{0, 0, 0};
  /// Largest net inflow and outflow over volume (divergence of the velocity), per time.
  Real compressing = 0, expanding = 0;
  bool compresses = false;
  VelocityCorrection correction;
  /// Largest velocity towards boundaries that let no advection through.
  Real against_boundaries = 0;
  std::vector<OutletBackflow> backflow;
};

/// Of a balance with advection; a step of 0 asks for space alone. Velocities that change are looked at when
/// they are given, or at 33 times from `from` to `until`.
AdvectionNumbers advection_numbers(Discretization& balance, const Scheme& scheme, Real step, Real from = 0,
                                   Real until = 0);

/// What `stability` answers where something is advected: by the symbol of reconstruction, numerical flux
/// and diffusion at the place that is passed fastest, limited slopes taken as they are where nothing limits
/// them. Sharp where the operator is normal: first-order reconstruction round a periodic, even domain.
Stability stability_of_advection(Discretization& balance, const Scheme& scheme, Real step, Real from = 0,
                                 Real until = 0);

}  // namespace williwaw::verify
