// The wave equation as a first-order system, by finite volumes.
#pragma once

#include "terms/waves/wave_system_terms.hpp"

namespace williwaw {

/// A balance of u, the rate p and the stress along each axis, at the centres of cells. A boundary lets its
/// own law meet the characteristic that comes from inside: whatever else a condition said is the wave's to
/// decide.
class WaveSystem final : public FirstOrderForm {
 public:
  /// `balance` is that of u alone, of `parts`. Throws InputError as `WaveMedium` does.
  WaveSystem(TermBalance& balance, const ProblemTerms& parts);

  const Layout& layout() const override { return system_.layout(); }
  State initial(const State& y, Real at) const override;
  /// Work of boundaries and sources, and damping, are what acts.
  void rate(const State& y, Real at, Real step, State& out, Ledger& powers) override;
  Totals totals(const State& y) const override;
  std::pair<Real, Index> fastest() const override;

 private:
  WaveMedium medium_;
  TermBalance system_;
};

}  // namespace williwaw
