// Terms over several unknowns: reactions between them, and fluxes by which they carry each other along.
#pragma once

#include "williwaw/balance/term.hpp"
#include "williwaw/boundary/boundary_terms.hpp"
#include "williwaw/problem/system.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw {

/// What the unknowns make of each other. Books for each unknown what it gains.
class SystemReactionTerm final : public Term {
 public:
  explicit SystemReactionTerm(SystemReaction reaction) : reaction_(std::move(reaction)) {}
  /// The next unknown in the order of the state; its line is declared.
  void add_unknown(OfUnknown of, std::shared_ptr<const Storage> storage, LedgerLines& lines);
  bool reacts() const { return static_cast<bool>(reaction_); }

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  void add(Real time, const Line& line, std::span<const LineRates> rates) const;
  void linearise_locally(Real time, std::span<const Real> y, Real b, LocalEntries& local) const;

 private:
  struct Workspace;
  SystemReaction reaction_;
  std::vector<OfUnknown> unknowns_;
  std::vector<std::shared_ptr<const Storage>> storages_;
  std::vector<LineId> lines_;
};

/// A flux of several unknowns, that of Lax and Friedrichs with the largest speed beside each face (Rusanov,
/// 1961), from values reconstructed along each axis; where an unknown advects, its mean on a face times the
/// values from upwind. Through boundaries whose conditions let advection pass
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

  void declare(LedgerLines& lines) override;

  void add(const Line& line, std::span<const LineRates> rates) const;
  void linearise(std::span<const Real> y, Real b, std::span<FaceSystem> matrices) const;
  void linearise_locally(std::span<const Real> y, Real b, LocalEntries& local) const;

 private:
  struct Workspace;
  struct Beyond {
    Real value;
    bool open;   ///< the flux passes
    bool holds;  ///< the boundary holds the value
  };
  using Values = std::vector<std::vector<Real>>;
  void fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace, Values& flux) const;
  void fill_rows(const Line& line, std::size_t unknown, int axis, Index j, Index k, Workspace& workspace,
                 Rows& rows) const;
  void between(int direction, Workspace& workspace, Values& flux) const;
  void advect(std::size_t face, const Workspace& workspace, Values& flux) const;
  Beyond beyond(const Evaluation& now, std::size_t unknown, Side side, Index inside, Real u) const;
  void close(const Evaluation& now, int axis, Index j, Index k, bool upper, Workspace& workspace,
             Values& flux) const;

  std::vector<OfUnknown> unknowns_;
  std::shared_ptr<const SystemFlux> flux_;
  const ReconstructionKind* reconstruction_;
  std::vector<const BoundaryClosures*> closures_;
  std::vector<TermId<EvaluatedBoundaryClosures>> conditions_;
  std::vector<LineId> divergence_lines_;  ///< in advective form
};

}  // namespace williwaw
