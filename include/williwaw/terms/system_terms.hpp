// Terms over several unknowns: reactions between them, diffusion down each other's gradients, and fluxes by
// which they carry each other along.
#pragma once

#include "williwaw/balance/term.hpp"
#include "williwaw/boundary/boundary_terms.hpp"
#include "williwaw/problem/system.hpp"
#include "williwaw/terms/conductances.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw {

/// What the unknowns make of each other. Books for each unknown what it gains.
class SystemReactionTerm final : public Term {
 public:
  explicit SystemReactionTerm(SystemReaction reaction) : reaction_(std::move(reaction)) {}
  /// The next unknown in the order of the state; its line is declared.
  void add_unknown(OfUnknown of, const std::string& name, std::shared_ptr<const Storage> storage,
                   LedgerLines& lines);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  void add(Real time, const Line& line, std::span<const LineRates> rates) const;
  /// Throws DataError where a rate is not finite and the values are; the ledger tells whether to look.
  void refuse_not_finite(Real time, std::span<const Real> y, const Ledger& ledger) const;
  void linearise_locally(Real time, std::span<const Real> y, Real b, LocalEntries& local) const;

 private:
  struct Workspace;
  SystemReaction reaction_;
  std::vector<OfUnknown> unknowns_;
  std::vector<std::string> names_;
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
                 const std::string& reconstruction, bool characteristic,
                 std::vector<const BoundaryClosures*> closures,
                 std::vector<TermId<EvaluatedBoundaryClosures>> conditions);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  void declare(LedgerLines& lines) override;

  void add(const Line& line, std::span<const LineRates> rates) const;
  void linearise(std::span<const Real> y, Real b, std::span<FaceSystem> matrices) const;
  void linearise_locally(std::span<const Real> y, Real b, LocalEntries& local) const;
  void add_through(const Evaluation& now, std::span<const Real> y, std::size_t unknown, std::size_t section,
                   std::span<Real> flows) const;

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
  void reconstruct(const std::vector<Rows>& rows, int direction, Index faces, Workspace& workspace) const;
  void between(int direction, Workspace& workspace, Values& flux) const;
  void advect(std::size_t face, const Workspace& workspace, Values& flux) const;
  Beyond beyond(const Evaluation& now, std::size_t unknown, Side side, Index inside, Real u) const;
  void close(const Evaluation& now, int axis, Index j, Index k, bool upper, Workspace& workspace,
             Values& flux) const;

  std::vector<OfUnknown> unknowns_;
  std::shared_ptr<const SystemFlux> flux_;
  const ReconstructionKind* reconstruction_;
  bool characteristic_;
  std::vector<const BoundaryClosures*> closures_;
  std::vector<TermId<EvaluatedBoundaryClosures>> conditions_;
  std::vector<LineId> divergence_lines_;  ///< in advective form
};

/// One unknown diffuses down the gradient of another. The diffusivity on a face is the mean of those beside
/// it. Conditions say what flows through a boundary as a whole: only where one holds the value of `of` does
/// something flow besides, down the gradient that the conditions of `by` make.
class CrossDiffusionTerm final : public Term {
 public:
  /// An unknown as this term meets it.
  struct Member {
    OfUnknown of;
    const BoundaryClosures* closures;
    TermId<EvaluatedBoundaryClosures> conditions;
  };
  /// `geometry` are conductances of a conductivity of 1. Throws InputError where a gradient beside a boundary
  /// is not known: `of` holds its value, `by` does not, and others cross into `by` (`crossed`).
  CrossDiffusionTerm(CrossDiffusion cross, std::vector<Member> unknowns, Conductances geometry, bool crossed);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  void add(Real time, const Line& line, std::span<const LineRates> rates) const;
  void linearise_between(Real time, const Evaluation& now, std::span<const Real> y, Real b, Parts parts,
                         std::vector<Triplet>& entries) const;
  void add_through(Real time, const Evaluation& now, std::span<const Real> y, std::size_t unknown,
                   std::size_t section, std::span<Real> flows) const;

 private:
  struct Workspace;
  struct OnBoundary {
    Real conductance = 0;  ///< area and diffusivity over distance
    Real value = 0;        ///< of `by` on the boundary
  };
  void values_of_line(Real time, const Real* y, Index number, Points& places, std::span<Real> out) const;
  Real value_beside(const Evaluation& now, std::size_t unknown, const BoundaryFace& face, Real inside) const;
  OnBoundary on_boundary(Real time, const Evaluation& now, const Real* y, std::size_t section,
                         Index face) const;

  CrossDiffusion cross_;
  std::vector<Member> unknowns_;
  Conductances geometry_;
};

}  // namespace williwaw
