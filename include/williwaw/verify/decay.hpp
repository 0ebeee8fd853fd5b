// The slowest decay: how long a problem takes to forget how it began.
#pragma once

#include "williwaw/terms/discretization.hpp"

namespace williwaw::verify {

struct SlowestDecay {
  Real rate = 0;  ///< of the slowest mode, 1/time; 0 where nothing fixes the mean
  State mode;     ///< largest magnitude 1; empty where the rate is 0
  int solves = 0;
  bool settled = true;  ///< the rate moved by less than the tolerance in the last solve
};

/// Smallest eigenvalue of the operator C⁻¹K, by the Lanczos process on its inverse (Ericsson and Ruhe, 1980):
/// one linear solve for each vector, up to thirty. Throws InputError for a problem that is not linear.
SlowestDecay slowest_decay(Discretization& balance, Real at = 0, Real tolerance = 1e-9);

/// How many modes about the state y grow: eigenvalues of C⁻¹F' above zero, counted as negative pivots of −F'
/// (Sylvester's law of inertia). Nothing where F' is not symmetric, or too large to be factored at a steady
/// solve's own price (2·10⁵ unknowns, 2·10⁴ in three dimensions).
std::optional<Index> growing_modes(Discretization& balance, const State& y, Real at = 0);

}  // namespace williwaw::verify
