// Dispersion: how fast waves run on the grid against how fast they run in truth, and what that costs a run.
#pragma once

#include <array>
#include <string>

#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

/// ω(k) of a scheme with its step on a uniform grid: a plane wave exp(i(k·x − ωt)) of the discrete equation
/// (Trefethen, 1982).
class DispersionRelation {
 public:
  /// `spacing` and `speed` along each axis; `order` of the differences in space, 2 or 4.
  DispersionRelation(Scheme scheme, Real step, std::vector<Real> spacing, std::vector<Real> speed,
                     int order = 2);

  int dimension() const { return static_cast<int>(spacing_.size()); }
  /// Numerical frequency of a wave vector; the true one is speed·|k|.
  Real frequency(const std::array<Real, 3>& k) const;
  Real true_frequency(const std::array<Real, 3>& k) const;
  /// Phase velocity over the true one, for a wave number in a direction (a unit vector).
  Real phase_ratio(Real wavenumber, const std::array<Real, 3>& direction) const;
  /// Group velocity over the true one.
  Real group_ratio(Real wavenumber, const std::array<Real, 3>& direction) const;
  Real step() const { return step_; }
  const std::vector<Real>& spacing() const { return spacing_; }

 private:
  Scheme scheme_;
  Real step_;
  std::vector<Real> spacing_, speed_;
  int order_;
};

/// What a run's own waves suffer.
struct Dispersion {
  std::string basis;                      ///< "the initial data", "source", "west": what the waves come from
  Real wavenumber = 0;                    ///< mean over the energy they hold
  Real points = 0;                        ///< points per wavelength, along the axis where they are fewest
  Real fewest_points = 0;                 ///< the same for the shortest waves that hold a tenth of the energy
  Real phase_error = 0, group_error = 0;  ///< of that mean: relative, below 0 for late
  Real phase_lag = 0;  ///< phase lag, in time, at the end: mean over the energy of the waves
  Index where = 0;     ///< the place whose speed counts: the slowest
};

/// The relation at the place where waves are slowest.
DispersionRelation dispersion_relation(Discretization& balance, const Scheme& scheme, Real step,
                                       Index* where = nullptr);

/// From the spectrum of the initial data where they hold energy, else of what drives the wave most (sources,
/// points, boundaries), at the times of steps. Nothing where neither is there, or steps are unstable.
std::optional<Dispersion> dispersion(Discretization& balance, const Scheme& scheme, Real step, Real from,
                                     Real until);

}  // namespace williwaw::verify
