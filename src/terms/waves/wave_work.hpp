// What leapfrog steps of a wave work with, line by line.
#pragma once

#include "balance/sweep.hpp"
#include "terms/waves/wave_dynamics.hpp"

namespace williwaw {

/// One step of leapfrog from whole states: `other` is a step earlier and becomes a step later.
struct WaveDynamics::Moving {
  const Evaluation& evaluated;
  const Real* now;
  Real* other;
  Real step;
  bool quiet_boundaries;  ///< nothing acts on any of them
  const State* correction = nullptr;
  const State* data = nullptr;
};

/// What it needs for one line.
struct WaveDynamics::Work : Moving {
  const Fixed& fixed;
  std::span<Real> pair, force, source;  ///< of one line
  std::span<const Real> layer_forces;
  std::size_t next_place = 0;
  Totals* of_segments;  ///< of one line: energies twice, the kinetic one times the square of the step
  LedgerBlock booked;   ///< what damping, sources, layers and given forces do
};

}  // namespace williwaw
