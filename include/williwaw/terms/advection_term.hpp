// What advection transports through faces and boundaries: −∇·(velocity u) or −∇·f(u), by reconstruction and
// numerical flux, line by line.
#pragma once

#include "williwaw/boundary/boundary_terms.hpp"
#include "williwaw/terms/diffusive_flows.hpp"
#include "williwaw/terms/face_velocities.hpp"
#include "williwaw/terms/numerical_flux.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw {

/// How high values reach.
struct Range {
  Real lowest = 0, highest = 0;
};

/// How advection is discretized: reconstruction, numerical flux, and where they find what they need.
struct AdvectionScheme {
  /// Everything given must outlive this. Throws InputError for reconstructions and fluxes that do not go with
  /// the grid, the outline or the equation.
  AdvectionScheme(OfUnknown of, const Problem& problem, const LinearStorage& storage,
                  const std::vector<BoundaryClosure>& closures);

  /// A face of which a neighbour that slopes look at is cut out: on its low side, its high side.
  struct Incomplete {
    Index i;
    bool low, high;
  };

  OfUnknown of;
  const Problem& problem;
  const Grid& grid;
  const Outline& outline;
  const LinearStorage& storage;
  const std::vector<BoundaryClosure>& closures;
  const ReconstructionKind* reconstruction;
  const NumericalFlux* flux;
  const FluxLaw* law;
  bool has_divergence_term;  ///< in the advective form
  bool splits;               ///< fluxes are reconstructed, not values
  /// Incomplete faces of each axis, by line of faces.
  std::array<std::vector<std::size_t>, 3> first_incomplete = {};
  std::array<std::vector<Incomplete>, 3> incomplete = {};
  /// Of uneven axes, entry by face: gaps to the unknowns around it, distances from those beside it.
  std::array<std::array<std::vector<Real>, 5>, 3> spacing = {};
  LineId divergence_line = {};

  /// Linear in the unknown.
  bool linear() const { return !law && reconstruction->order == 1; }

 private:
  void check() const;
  void find_incomplete();
};

struct AdvectionWorkspace;

/// Advection at one time and about one state. It looks at the conductances and closures that it was evaluated
/// with, which must be there as long as it is asked.
class EvaluatedAdvection final : public EvaluatedTerm {
 public:
  /// Nothing is evaluated yet; the scheme must outlive this and its copies. Throws InputError for velocities
  /// that do not go with the grid.
  explicit EvaluatedAdvection(const AdvectionScheme& scheme);

  /// About values `u` of the block at this time. `range` is that of u where it is known. `step` is the length
  /// of a step of explicit Euler, for fluxes that know it; 0 where there is none.
  void update(Real at, std::span<const Real> u, const Range* range, Real step,
              const Conductances& conductances, const EvaluatedBoundaryClosures& closures);

  void add(const Line& line, std::span<const LineRates> rates) const override;
  void linearise(const Evaluation& now, std::span<const Real> y, Real b, Parts parts,
                 std::span<FaceSystem> matrices) const override;
  void bound(std::vector<DataBounds>& pieces) const override;
  /// What flows in by advection through a face of a boundary.
  Real through(std::size_t closure, Index face) const {
    return through_[closure][static_cast<std::size_t>(face)];
  }
  /// The flow passes this boundary.
  bool open(std::size_t closure) const { return velocities_.open(closure); }
  AdvectiveFlows flows() const { return {velocities_.open(), through_}; }
  /// In the advective form what a compressing velocity would pile up is taken away again: u·∇·v.
  bool has_divergence_term() const { return scheme_.has_divergence_term; }
  Real divergence_term(Index n, Real u) const {
    return velocities_.divergence()[static_cast<std::size_t>(n)] * u;
  }

  /// Linear in the unknown: its matrix is exact, otherwise it is that of the flux of first order.
  bool linear() const { return scheme_.linear(); }
  bool depends_on_time() const { return velocities_.depends_on_time(); }

  /// Those that it was evaluated with.
  const EvaluatedBoundaryClosures& closures() const { return *closures_; }
  const FaceVelocities& velocities() const { return velocities_; }
  const ReconstructionKind& reconstruction() const { return *scheme_.reconstruction; }
  const NumericalFlux& flux() const { return *scheme_.flux; }
  const FluxLaw* law() const { return scheme_.law; }
  /// Largest speed along an axis, now: of the velocity, or of values within the range of the state.
  Real largest_speed(int axis) const;
  /// Of laws: the same over a range of values, unbounded where the speed is. Costs a scan of the range.
  std::array<Real, 3> largest_speeds(const Range& values) const;
  /// Speeds along each axis at one unknown.
  std::array<Real, 3> speeds(std::span<const Real> u, Index n) const;
  /// Weights (first, second) of a face's neighbours in its flow, area included, at first order.
  std::pair<Real, Real> weights(std::span<const Real> u, int axis, Index below, Index above) const;

 private:
  void see_range(std::span<const Real> u, const Range* range);
  void find_centre_velocities(Real at);
  void fill_halo(std::span<const Real> u);
  void meet_boundaries(std::span<const Real> u);
  Real boundary_flow(std::size_t closure, Index face, Real u, Real beside) const;
  void add_line(Index j, Index k, const Real* u, AdvectionWorkspace& workspace, Real* out) const;
  void face_fluxes(int axis, Index j, Index k, const Real* u, AdvectionWorkspace& workspace,
                   Real* density) const;
  // What lies left and right of the faces of a line, in the workspace.
  std::pair<Real*, Real*> reconstruct(int axis, Index j, Index k, const Rows& rows, Index count,
                                      AdvectionWorkspace& workspace) const;
  void split_fluxes(int axis, const Rows& rows, Index j, Index k, Index count, AdvectionWorkspace& workspace,
                    Real* out) const;
  Rows rows_of(int axis, Index j, Index k, const Real* u, AdvectionWorkspace& workspace) const;
  const Real* halo_row(int axis, bool upper, Index depth, Index j, Index k) const;
  void conductances(int axis, Index j, Index k, Index count, Real* out) const;

  const AdvectionScheme& scheme_;
  const Conductances* conductances_ = nullptr;
  const EvaluatedBoundaryClosures* closures_ = nullptr;
  FaceVelocities velocities_;
  std::array<std::vector<Real>, 6> halo_;  ///< three layers beyond each side
  std::array<TurningPoints, 3> turning_;
  std::array<Real, 3> largest_{0, 0, 0};  ///< speeds of a law within the range
  Range range_, scanned_{1, 0};
  Real step_ = 0, now_ = 0;
  std::vector<std::vector<Real>> through_;
  std::array<std::vector<Real>, 3> centre_velocity_;  ///< where fluxes are reconstructed
};

class AdvectionTerm final : public Term {
 public:
  /// The diffusion and the closures of the same unknown come before it.
  AdvectionTerm(OfUnknown of, const Problem& problem, std::shared_ptr<const LinearStorage> storage,
                const std::vector<BoundaryClosure>& closures, TermId<EvaluatedDiffusion> diffusion,
                TermId<EvaluatedBoundaryClosures> conditions);

  Needs needs() const override;
  void declare(LedgerLines& lines) override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::unique_ptr<TermScratch> scratch() const override;

  /// What does not change, as the evaluated term says it.
  const EvaluatedAdvection& fixed() const { return prototype_; }
  const AdvectionScheme& scheme() const { return *scheme_; }

 private:
  std::shared_ptr<const LinearStorage> storage_;
  std::unique_ptr<AdvectionScheme> scheme_;
  EvaluatedAdvection prototype_;
  TermId<EvaluatedDiffusion> diffusion_;
  TermId<EvaluatedBoundaryClosures> conditions_;
};

}  // namespace williwaw
