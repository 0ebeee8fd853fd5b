// Terms over several unknowns: reactions between them, diffusion down each other's gradients, and fluxes by
// which they carry each other along.
#pragma once

#include <optional>

#include "williwaw/balance/term.hpp"
#include "williwaw/boundary/boundary_terms.hpp"
#include "williwaw/grid/means_between.hpp"
#include "williwaw/problem/system.hpp"
#include "williwaw/terms/conductances.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw {

/// An unknown of a system, and its boundary.
struct SystemMember {
  OfUnknown of;
  const BoundaryClosures* closures;
  TermId<EvaluatedBoundaryClosures> conditions;
};

/// What unknowns make of each other, added to those at one place of the grid. Unknowns that stand elsewhere
/// are what they are there, between the two beside it along each axis. Books for each unknown what it gains.
class SystemReactionTerm final : public Term {
 public:
  /// Adds to the unknowns on this grid.
  SystemReactionTerm(SystemReaction reaction, Grid grid)
      : reaction_(std::move(reaction)), grid_(std::move(grid)) {}
  /// The next unknown in the order of the state; the line of one that is added to is declared.
  void add_unknown(OfUnknown of, const std::string& name, std::shared_ptr<const Storage> storage,
                   LedgerLines& lines);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  void add(Real time, const Line& line, std::span<const LineRates> rates) const;
  /// The storage of each unknown that it adds to is one number for all volumes.
  bool makes_densities() const;
  void densities(Real time, const Line& line, std::span<LineDensities> of_unknowns) const;
  /// Throws DataError where a rate is not finite and the values are; the ledger tells whether to look.
  void refuse_not_finite(Real time, std::span<const Real> y, const Ledger& ledger) const;
  void linearise_locally(Real time, std::span<const Real> y, Real b, LocalEntries& local) const;
  void linearise_between(Real time, std::span<const Real> y, Real b, std::vector<Triplet>& entries) const;

 private:
  struct Workspace;
  struct Member {
    OfUnknown of;
    std::string name;
    std::shared_ptr<const Storage> storage;
    std::optional<LineId> line{};         ///< of one that is added to
    std::optional<MeansBetween> means{};  ///< of one that stands elsewhere
    bool even = false;                    ///< all its volumes store alike, and none is cut
  };
  void evaluate_line(Real time, const Line& line, Workspace& workspace) const;
  template <class Visit>
  void each_slope(Real time, std::span<const Real> y, const Visit& visit) const;

  SystemReaction reaction_;
  Grid grid_;
  std::vector<Member> members_;
};

/// A flux of several unknowns, that of Lax and Friedrichs with the largest speed beside each face (Rusanov,
/// 1961), from values reconstructed along each axis; where an unknown advects, its mean on a face times the
/// values from upwind. Through boundaries whose conditions let advection pass
/// the values on them come in, through others nothing does.
class SystemFluxTerm final : public Term {
 public:
  /// For members at one place of a grid. Throws InputError for cut-outs, axes r, and uneven axes with
  /// reconstructions that need more than a slope.
  SystemFluxTerm(std::vector<SystemMember> members, std::shared_ptr<const SystemFlux> flux,
                 const std::string& reconstruction, bool characteristic);

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
  using Values = std::vector<std::vector<Real>>;
  const Grid& grid() const { return members_.front().of.domain->grid(); }
  void fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace, Values& flux) const;
  void reconstruct(const std::vector<Rows>& rows, int axis, Index first, Index faces,
                   Workspace& workspace) const;
  void between(int direction, Workspace& workspace, Values& flux) const;
  void advect(std::size_t face, const Workspace& workspace, Values& flux) const;
  void close(const Evaluation& now, int axis, Index j, Index k, Workspace& workspace, Values& flux) const;

  std::vector<SystemMember> members_;
  std::shared_ptr<const SystemFlux> flux_;
  const ReconstructionKind* reconstruction_;
  bool characteristic_;
  /// By axis, of uneven ones: gaps and halves of its faces.
  std::array<std::array<std::vector<Real>, 5>, 3> distances_;
  std::vector<LineId> divergence_lines_;  ///< in advective form
};

/// An unknown that is advected by unknowns on the faces normal to the axes along which they point. Through a
/// face of its control volume flows what they are there, between the two beside it where they stand
/// elsewhere, times the value from upwind.
class FaceAdvectionTerm final : public Term {
 public:
  /// `velocity` has the unknown along each axis of the grid, or none where nothing flows. Throws InputError
  /// for unknowns that stand elsewhere, and as SystemFluxTerm does.
  FaceAdvectionTerm(SystemMember member, std::array<std::optional<OfUnknown>, 3> velocity, bool advective,
                    const std::string& reconstruction);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;
  void declare(LedgerLines& lines) override;

  void add(const Line& line, std::span<const LineRates> rates) const;
  void linearise(std::span<const Real> y, Real b, std::span<FaceSystem> matrices) const;
  void add_through(const Evaluation& now, std::span<const Real> y, std::size_t section,
                   std::span<Real> flows) const;

 private:
  struct Workspace;
  /// What advects along one axis.
  struct Along {
    OfUnknown of;
    MeansBetween on_faces;  ///< to the faces that have a neighbour on each side
    MeansBetween here;      ///< to the unknown's own places: on sides on which it stands
  };
  const Grid& grid() const { return member_.of.domain->grid(); }
  void velocities(const Real* y, int axis, Index j, Index k, std::span<Real> out) const;
  void fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace, std::size_t into) const;

  SystemMember member_;
  std::array<std::optional<Along>, 3> along_;
  bool advective_;
  const ReconstructionKind* reconstruction_;
  std::array<std::array<std::vector<Real>, 5>, 3> distances_;
  LineId divergence_line_ = {};
};

/// One unknown diffuses down the gradient of another. The diffusivity on a face is the mean of those beside
/// it. Conditions say what flows through a boundary as a whole: only where one holds the value of `of` does
/// something flow besides, down the gradient that the conditions of `by` make.
class CrossDiffusionTerm final : public Term {
 public:
  /// `geometry` are conductances of a conductivity of 1. Throws InputError where a gradient beside a boundary
  /// is not known: `of` holds its value, `by` does not, and others cross into `by` (`crossed`).
  CrossDiffusionTerm(CrossDiffusion cross, std::vector<SystemMember> unknowns, Conductances geometry,
                     bool crossed);

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
  std::vector<SystemMember> unknowns_;
  Conductances geometry_;
};

}  // namespace williwaw
