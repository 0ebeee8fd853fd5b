// The balance of heat, diffusion, wave and transport problems, put together from terms.
#pragma once

#include "williwaw/balance/term_balance.hpp"
#include "williwaw/terms/advection_term.hpp"
#include "williwaw/terms/system_terms.hpp"

namespace williwaw {

struct ProblemTerms;

/// One axis of a separable operator −C⁻¹·F', made symmetric by the square roots of the capacities: a
/// tridiagonal matrix with `corner` joining first and last on a periodic axis. The operator's eigenvalues are
/// the sums of one eigenvalue from each axis.
struct AxisOperator {
  std::vector<Real> diagonal;
  std::vector<Real> off_diagonal;
  Real corner = 0;
};

/// The discrete equation of one unknown: capacity·du/dt = Σ coefficient·(neighbour − u) + Σ walls + source.
struct Stencil {
  struct Neighbour {
    std::string towards;  ///< name of the side in whose direction it lies
    Index number;
    Real conductance;
  };
  struct WallTerm {
    std::string name;  ///< as in the ledger
    Real inflow;
    Real pull;
  };
  Index number = 0;
  Point place;
  Real volume = 0;
  Real capacity = 0;
  std::vector<Neighbour> neighbours;
  std::vector<WallTerm> walls;
  Real stretching = 0;  ///< of u: net outflow of the stream, through walls included
  Real source = 0;      ///< points included
  Real reaction = 0;    ///< at the state asked about
  bool held = false;
  Real held_value = 0;
};

/// storage·du/dt + ∇·(stream) = ∇·(k∇u) + source + reaction(u) + points, on cells or nodes, with a block of
/// unknowns for each problem; for waves the second derivative stands on the left, and motion() says what that
/// adds. Unknowns whose control volumes are cut out of the domain stand in the state as zeros and take no
/// part.
class ProblemBalance final : public TermBalance {
 public:
  /// Throws InputError for a problem that is not complete or has coefficients that cannot be used, and for
  /// one that semi-Lagrangian steps are wanted of and that carries nothing.
  explicit ProblemBalance(const Problem& problem, Execution execution = {});
  /// Several unknowns, one problem each: each diffuses and meets boundaries by itself, and all of them react
  /// with each other or carry each other along. Problems share one grid and have no streams of their own.
  /// Throws InputError for other ones, cut-outs with a flux, or reconstructions that need more than a slope.
  explicit ProblemBalance(const std::vector<Problem>& problems, SystemReaction reaction = {},
                          std::shared_ptr<const SystemFlux> flux = nullptr, Execution execution = {});
  ~ProblemBalance() override;
  ProblemBalance(const ProblemBalance&) = delete;
  ProblemBalance& operator=(const ProblemBalance&) = delete;

  const Problem& problem(std::size_t unknown = 0) const;
  const Outline& outline(std::size_t unknown = 0) const { return domain(unknown).outline(); }
  /// Length, area or volume of the domain.
  Real volume(std::size_t unknown = 0) const;

  Drive drive(Real at) override;
  Motion& motion() override;
  Carrier& carrier() override;
  std::unique_ptr<FirstOrderForm> first_order_form() override;

  /// Something is carried along.
  bool advects() const;
  /// How; of balances that advect.
  const EvaluatedAdvection& advection() const;
  /// The same at this time and about this state.
  std::shared_ptr<const EvaluatedAdvection> advection(Real at, const State& y);
  /// The same as if values lay anywhere within a range: fastest speeds are those of the range.
  std::shared_ptr<const EvaluatedAdvection> advection(Real at, const State& y, const Range& range);
  /// Largest Σ over axes of speed over width, per time, at which unknowns carry each other; 0 where they do
  /// not.
  Real fastest(const State& y) const;

  /// The problems' initial values, before boundaries set theirs.
  State initial_state() const;
  /// Unknowns are means over control volumes and have to be compared as such: of order above two.
  bool holds_means() const;
  /// What a function is at the unknowns, or its means over their control volumes where these are held (by
  /// Gauss' formula with three points along each axis); one value for each unknown of a block.
  State values_of(const Function& function, Real at = 0) const;
  /// One unknown of `y` as a field whose halo carries the values that the boundaries have at this time; not a
  /// number where the domain is cut out.
  Field field(const State& y, Real at, std::size_t unknown = 0);
  /// Average flux (per area, into the domain) through a side, from the state alone; not for boundaries that
  /// prescribe their nodes.
  Real wall_flux(Side side, const State& y, Real at);
  /// What flows into the domain through every face of a section, area included. Through faces that prescribe
  /// their unknowns flows what these lack in a steady state.
  std::vector<Real> section_flows(std::size_t section, const State& y, Real at);
  /// One operator for each axis, where coefficients do not vary in place and boundaries do not vary along
  /// themselves; nothing otherwise.
  std::optional<std::vector<AxisOperator>> axis_operators(Real at);
  /// About the problem's initial values where something depends on the unknown.
  Stencil stencil(Index number, Real at);
  /// Conductances and capacities of an unknown at this time.
  std::shared_ptr<const Conductances> conductances(Real at, std::size_t unknown = 0);
  /// The closure of a side at this time; nothing for a periodic one.
  std::optional<EvaluatedClosure> closure(Side side, Real at);
  /// All closures of the first unknown at this time and about a state, or none.
  std::shared_ptr<const EvaluatedClosures> closures_at(Real at, const State& y = {});
  /// All closures of an unknown: sides, cut-outs, parts.
  const std::vector<Closure>& closures(std::size_t unknown = 0) const;
  /// Integrals over the control volumes of an unknown.
  const ControlVolumes& control_volumes(std::size_t unknown = 0) const;

 private:
  struct Made;
  explicit ProblemBalance(Made made);
  void stream_into(const Evaluation& now, const State& y, Stencil& stencil) const;

  std::vector<ProblemTerms> parts_;
  std::shared_ptr<const SystemFlux> flux_;
  std::unique_ptr<Motion> motion_;
  std::unique_ptr<Carrier> carrier_;
};

}  // namespace williwaw
