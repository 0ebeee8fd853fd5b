// Several unknowns on one grid: each diffuses and meets walls by itself, and all of them react with each
// other or carry each other along.
#pragma once

#include "williwaw/space/diffusion_balance.hpp"
#include "williwaw/space/reconstruction.hpp"

namespace williwaw {

/// What reactions make of all unknowns together: amounts for each unit of volume and time. `u` and `out` have
/// one line of values for each unknown.
using SystemReaction = std::function<void(const Points&, Real, std::span<const std::span<const Real>> u,
                                          std::span<std::span<Real>> out)>;

/// A flux of several unknowns along each axis, and the largest speed at which anything travels.
class SystemFlux {
 public:
  virtual ~SystemFlux() = default;
  /// How many unknowns it is for; 0: any number.
  virtual std::size_t components() const { return 0; }
  /// f of every unknown along the axis of this slot (0 is x).
  virtual void flux(int slot, std::span<const std::span<const Real>> u,
                    std::span<std::span<Real>> out) const = 0;
  virtual void speed(int slot, std::span<const std::span<const Real>> u, std::span<Real> out) const = 0;
};

/// A vector that carries itself along, f_i = u_i·u_a along axis a: what the quadratic flux is in more
/// dimensions than one.
std::shared_ptr<const SystemFlux> self_carrying_flux(int components);

/// Unknowns one after the other in the state, each in the order of its grid. Fluxes of the system are those
/// of Lax and Friedrichs with the largest speed beside each face (Rusanov, 1961), from values reconstructed
/// by the first member's word. Through walls with a stream's end they pass with the value on the wall,
/// through others not.
class SystemBalance final : public Balance {
 public:
  /// `members` share one grid and have no streams of their own. Throws InputError for other ones, cut-outs
  /// with a flux, or reconstructions that need more than a slope.
  SystemBalance(const std::vector<Problem>& members, SystemReaction reaction = {},
                std::shared_ptr<const SystemFlux> flux = nullptr, Execution execution = {});

  std::size_t unknowns() const { return members_.size(); }
  DiffusionBalance& member(std::size_t n) { return *members_[n]; }
  State initial_state() const;
  /// One unknown of a state as a field with what its walls say.
  Field field(const State& y, std::size_t unknown, Real at);
  /// Largest Σ over axes of speed over width, per time; 0 without a flux.
  Real fastest(const State& y) const;

  const Layout& layout() const override { return layout_; }
  Offers offers() const override;
  const std::vector<LedgerLine>& lines() const override { return lines_.all(); }
  void storage(const State& y, Real at, State& q) override;
  void recover(const State& q, Real at, State& y) override;
  void rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) override;
  void linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) override;
  std::span<const Index> absent() const override { return absent_; }
  std::span<const Index> held() const override { return held_; }
  void pin(Real at, State& y) override;
  void book_held(const State& missing, Ledger& amounts) override;
  Totals totals(const State& y, Real at) override;

 private:
  using Lines = std::vector<std::span<const Real>>;
  template <class Visit>
  void each_member(const Visit& visit) const;
  State part(const State& y, std::size_t member) const;
  void put(const State& from, std::size_t member, State& y) const;
  void react(const State& y, Real at, State& f, Ledger& ledger) const;
  void carry(const State& y, int axis, State& f, Ledger& ledger);
  template <class Visit>
  void each_open_face(std::size_t member, Index unknown, Side side, const Visit& visit) const;
  void book_end(std::size_t member, Index unknown, Side side, Real flow, Ledger& ledger) const;
  void between(int slot, const std::vector<std::vector<Real>>& left,
               const std::vector<std::vector<Real>>& right, std::vector<std::vector<Real>>& flux) const;

  std::vector<std::unique_ptr<DiffusionBalance>> members_;
  SystemReaction reaction_;
  std::shared_ptr<const SystemFlux> flux_;
  const ReconstructionKind* reconstruction_;
  Layout layout_;
  Index count_ = 0;                             ///< of unknowns of one member
  std::vector<std::vector<LineId>> own_lines_;  ///< by member, as its own ledger has them
  std::vector<LineId> reaction_line_;
  LedgerLines lines_;
  std::vector<Index> held_, absent_;
};

}  // namespace williwaw
