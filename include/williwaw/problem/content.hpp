// What a unit of volume stores as a function of the unknown.
#pragma once

#include "williwaw/problem/equation.hpp"

namespace williwaw {

/// ∫ storage du from `start` plus storage(start)·start, so that a storage that does not depend on the unknown
/// gives storage·u; `scale`: a size of the unknown, above zero. Throws InputError for storages that depend on
/// the unknown and, within a region, on the place too.
Function content_of_storage(const Function& storage, Real start, Real scale);

/// Freezing and thawing: latent heat that is stored besides, proportional to the unfrozen fraction, which
/// rises from 0 to 1 over a range of temperatures centred on one.
struct PhaseChange {
  Function latent_heat = 0.0;  ///< of a unit of volume, J/m³; constant, or by region
  Real temperature = 0;
  Real range = 0;  ///< above zero
  /// The part that is frozen: 1 below the range, 0 above it.
  Real frozen(Real u) const;
};

/// The equation of heat `e` with phase change: its content. `start` and `scale` as above.
Equation with_phase_change(Equation e, const PhaseChange& change, Real start, Real scale);

}  // namespace williwaw
