// The repeating state of a linear problem under periodic boundaries and sources, directly: one complex solve
// for every frequency that the data hold.
#pragma once

#include <complex>

#include "williwaw/balance/balance.hpp"
#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

class RepeatingState {
 public:
  /// y(t) = Σ_k Y_k·exp(i·k·ω·t) with (i·k·ω·C + K)·Y_k the k-th harmonic of the data, from `samples` times
  /// over a period. Harmonics that the data do not hold cost nothing; those above samples/2 are lost, which
  /// matters where data jump. Throws InputError for a balance that is not linear with a steady matrix, for
  /// data that do not repeat with this period, and where nothing fixes the mean.
  RepeatingState(Balance& balance, Real period, Index samples = 128);

  State at(Real time) const;
  Real period() const { return period_; }
  /// Frequencies that were solved for.
  Index harmonics() const { return static_cast<Index>(orders_.size()); }

 private:
  Balance& balance_;
  Real period_;
  std::vector<Index> orders_;
  std::vector<std::vector<std::complex<Real>>> amplitudes_;
};

}  // namespace williwaw
