// What one leapfrog step of a wave works with, line by line.
#pragma once

#include "balance/sweep.hpp"
#include "terms/waves/wave_dynamics.hpp"

namespace williwaw {

struct WaveDynamics::Work {
  const Evaluation& evaluated;
  const Fixed& fixed;
  const Real* now;  ///< whole states
  Real* other;
  Real step;
  const State* correction;
  const State* data;
  bool quiet_boundaries;                ///< nothing acts on any of them
  std::span<Real> pair, force, source;  ///< of one line
  std::span<const Real> layer_forces;
  std::size_t next_place = 0;
  Totals* of_segments;  ///< of one line: energies twice, the kinetic one times the square of the step
  LedgerBlock booked;   ///< what damping, sources, layers and given forces do
};

}  // namespace williwaw
