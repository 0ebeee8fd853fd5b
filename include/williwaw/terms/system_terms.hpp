// Terms over several unknowns: reactions between them, and fluxes by which they carry each other along.
#pragma once

#include "williwaw/balance/term.hpp"
#include "williwaw/boundary/boundary_terms.hpp"
#include "williwaw/terms/reconstruction.hpp"

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
  /// f of every unknown along the axis of this direction (0 is x).
  virtual void flux(int direction, std::span<const std::span<const Real>> u,
                    std::span<std::span<Real>> out) const = 0;
  virtual void speed(int direction, std::span<const std::span<const Real>> u, std::span<Real> out) const = 0;
};

/// A vector that carries itself along, f_i = u_i·u_a along axis a: what the quadratic flux is in more
/// dimensions than one.
std::shared_ptr<const SystemFlux> self_advecting_flux(int components);

/// What the unknowns make of each other. Books for each unknown what it gains.
class SystemReactionTerm final : public Term {
 public:
  explicit SystemReactionTerm(SystemReaction reaction) : reaction_(std::move(reaction)) {}
  /// The next unknown in the order of the state; its line is declared.
  void add_unknown(OfUnknown of, std::shared_ptr<const Storage> storage, LedgerLines& lines);
  bool reacts() const { return reaction_ != nullptr; }

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  void add(Real time, const Line& line, std::span<const LineRates> rates) const;

 private:
  struct Workspace;
  SystemReaction reaction_;
  std::vector<OfUnknown> unknowns_;
  std::vector<std::shared_ptr<const Storage>> storages_;
  std::vector<LineId> lines_;
};

/// A flux of several unknowns, that of Lax and Friedrichs with the largest speed beside each face (Rusanov,
/// 1961), from values reconstructed along each axis. Through boundaries whose conditions let advection pass
/// the values on them come in, through others nothing does.
class SystemFluxTerm final : public Term {
 public:
  /// Throws InputError for cut-outs, axes that are not uniform, and reconstructions that need more than a
  /// slope. `closures` are those of each unknown, `conditions` their numbers in the balance.
  SystemFluxTerm(std::vector<OfUnknown> unknowns, std::shared_ptr<const SystemFlux> flux,
                 const std::string& reconstruction, std::vector<const BoundaryClosures*> closures,
                 std::vector<TermId<EvaluatedBoundaryClosures>> conditions);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  void add(const Line& line, std::span<const LineRates> rates) const;

 private:
  struct Workspace;
  using Values = std::vector<std::vector<Real>>;
  void fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace, Values& flux) const;
  void fill_rows(const Line& line, std::size_t unknown, int axis, Index j, Index k, Workspace& workspace,
                 Rows& rows) const;
  void between(int direction, Workspace& workspace, Values& flux) const;
  Real beyond(const Evaluation& now, std::size_t unknown, Side side, Index inside, Real u, bool& open) const;
  void close(const Evaluation& now, int axis, Index j, Index k, bool upper, Values& flux) const;

  std::vector<OfUnknown> unknowns_;
  std::shared_ptr<const SystemFlux> flux_;
  const ReconstructionKind* reconstruction_;
  std::vector<const BoundaryClosures*> closures_;
  std::vector<TermId<EvaluatedBoundaryClosures>> conditions_;
};

}  // namespace williwaw
