// A uniform state of reacting unknowns, and how fast waves on it grow.
#pragma once

#include "williwaw/terms/discretization.hpp"

namespace williwaw::verify {

/// A state in which reactions and sources balance everywhere, and the linear theory of small waves about it
/// (Turing, 1952): with wavenumber k they grow by the eigenvalues of J − k²·D, J the derivatives of the
/// reactions and D the diffusivities, those of one unknown down the gradient of another beside the diagonal,
/// both over what is stored.
struct UniformState {
  std::vector<Real> values;  ///< of each unknown
  Real without_waves = 0;    ///< growth rate of a uniform disturbance, the largest real part; per time
  bool oscillates = false;   ///< and it turns round while it grows or decays
  Real fastest = 0;          ///< largest growth rate of all wavelengths, per time
  Real wavelength = 0;       ///< that grows so; infinite for a uniform disturbance
  /// Shortest and longest wavelength that grows; none where nothing does. The longest is infinite where
  /// uniform disturbances grow.
  std::optional<std::pair<Real, Real>> growing;

  /// Growth rate of a wavenumber, from the matrices below.
  Real growth(Real wavenumber) const;
  std::vector<Real> reaction_over_storage;  ///< J, row by row
  std::vector<Real> diffusivity;            ///< D, row by row
};

/// The state that Newton's method finds from the means of the initial values; nothing where reactions,
/// sources, diffusivities or storages depend on place, time or, but for the reactions, on the unknowns, or
/// where none is found. Wavelengths down to two spacings are looked at.
std::optional<UniformState> uniform_state(Discretization& balance);

}  // namespace williwaw::verify
