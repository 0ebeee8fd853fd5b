// The terms of a wave as a first-order system in u, the rate p = du/dt and the stress σ = conductivity·∇u
// along each axis: du/dt = p, dp/dt = (∇·σ + source)/storage − damping·p, dσ/dt = conductivity·∇p. Flows are
// rates of change.
#pragma once

#include "terms/waves/wave_medium.hpp"
#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

/// Which unknown of the system is which; the stress along axis a is number `stress` + a.
struct WaveUnknowns {
  static constexpr int u = 0, p = 1, stress = 2;
};

/// The values of one of its unknowns in a state.
inline const Real* wave_block(const WaveMedium& medium, const Real* y, int unknown) {
  return y + medium.grid().count() * unknown;
}

/// du/dt = p.
class DisplacementTerm final : public Term {
 public:
  explicit DisplacementTerm(const WaveMedium& medium) : medium_(medium) {}
  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;

 private:
  const WaveMedium& medium_;
};

/// What appears inside and what damps. Books their work.
class ForcingTerm final : public Term {
 public:
  /// `balance` is that of u alone, which knows what appears inside.
  ForcingTerm(const WaveMedium& medium, TermBalance& balance) : medium_(medium), balance_(balance) {}
  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  const WaveMedium& medium() const { return medium_; }
  LineId source_line() const { return medium_.parts().source_term->line(); }
  LineId damping_line() const { return medium_.parts().wave_lines.damping; }

 private:
  const WaveMedium& medium_;
  TermBalance& balance_;
};

/// What the neighbours of a cell and the boundaries make of rate and stress, by the characteristics p ∓ σ/Z
/// with Z = √(conductivity·storage) (Godunov, 1959; for this system LeVeque, 2002). Books the work at the
/// boundaries.
class WaveFluxTerm final : public Term {
 public:
  explicit WaveFluxTerm(const WaveMedium& medium) : medium_(medium) {}
  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;

 private:
  const WaveMedium& medium_;
};

}  // namespace williwaw
