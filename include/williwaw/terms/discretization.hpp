// What the analysis and the layers above ask of a discretized problem, whatever is behind it.
#pragma once

#include "williwaw/balance/term_balance.hpp"
#include "williwaw/problem/system.hpp"
#include "williwaw/terms/advection_term.hpp"
#include "williwaw/terms/conductances.hpp"

namespace williwaw {

/// One axis of a separable operator −C⁻¹·F', made symmetric by the square roots of the capacities: a
/// tridiagonal matrix with `corner` joining first and last on a periodic axis. The operator's eigenvalues are
/// the sums of one eigenvalue from each axis.
struct AxisOperator {
  std::vector<Real> diagonal;
  std::vector<Real> off_diagonal;
  Real corner = 0;
};

/// The discrete equation of one unknown: capacity·du/dt = Σ coefficient·(neighbour − u) + Σ boundaries +
/// source.
struct Stencil {
  struct Neighbour {
    std::string towards;  ///< name of the side in whose direction it lies
    Index number;
    Real conductance;
  };
  struct BoundaryTerm {
    std::string name;  ///< as in the ledger
    Real inflow;
    Real pull;
  };
  Index number = 0;
  Point place;
  Real volume = 0;
  Real capacity = 0;
  std::vector<Neighbour> neighbours;
  std::vector<BoundaryTerm> boundaries;
  Real divergence_term = 0;  ///< of u: net volume outflow, boundaries included
  Real source = 0;           ///< points included
  Real reaction = 0;         ///< at the state asked about
  bool prescribed = false;
  Real prescribed_value = 0;
};

/// A balance of terms that knows the problem it discretizes. Unknowns of several are asked for by their
/// number; without one the first is meant. Whose control volumes are cut out of the domain stand in the state
/// as zeros and take no part.
class Discretization : public TermBalance {
 public:
  using TermBalance::TermBalance;

  virtual const Problem& problem(std::size_t unknown) const = 0;
  const Problem& problem() const { return problem(0); }
  /// What unknowns make of each other; false where there is no such thing.
  virtual const SystemReaction& reaction() const = 0;
  /// By which unknowns carry each other along, or null.
  virtual const SystemFlux* flux() const = 0;
  /// What unknowns diffuse down the gradients of others; empty where there is no such thing.
  virtual const std::vector<CrossDiffusion>& cross_diffusion() const = 0;
  const Outline& outline(std::size_t unknown = 0) const { return domain(unknown).outline(); }
  /// Length, area or volume of the domain.
  virtual Real volume(std::size_t unknown) const = 0;
  Real volume() const { return volume(0); }

  /// There is advection.
  virtual bool advects() const = 0;
  /// How; of balances that advect.
  virtual const EvaluatedAdvection& advection() const = 0;
  /// The same at this time and about this state.
  virtual std::shared_ptr<const EvaluatedAdvection> advection(Real at, const State& y) = 0;
  /// The same as if values lay anywhere within a range: fastest speeds are those of the range.
  virtual std::shared_ptr<const EvaluatedAdvection> advection(Real at, const State& y,
                                                              const Range& range) = 0;
  /// Σ over axes of speed over width, per time, at each unknown of a block, at which unknowns carry each
  /// other; zeros where they do not.
  virtual std::vector<Real> speeds_over_widths(const State& y) const = 0;
  /// The largest of them.
  Real fastest(const State& y) const;
  /// What all unknowns of a state are at the places of the first, one after another.
  State at_places_of_first(const State& y) const;

  /// The problems' initial values, before boundaries set theirs.
  virtual State initial_state() const = 0;
  /// Unknowns are means over control volumes and have to be compared as such: of order above two.
  virtual bool holds_means() const = 0;
  /// What a function is at the unknowns, or its means over their control volumes where these are the unknowns
  /// (by Gauss' formula with three points along each axis); one value for each unknown of a block.
  virtual State values_of(const Function& function, Real at, std::size_t unknown) const = 0;
  State values_of(const Function& function, Real at = 0) const { return values_of(function, at, 0); }
  /// One unknown of `y` as a field whose halo carries the values that the boundaries have at this time; not a
  /// number where the domain is cut out.
  virtual Field field(const State& y, Real at, std::size_t unknown) = 0;
  Field field(const State& y, Real at) { return field(y, at, 0); }
  /// Average flux (per area, into the domain) through a side, from the state alone; not for boundaries that
  /// prescribe their nodes.
  virtual Real boundary_flux(Side side, const State& y, Real at) = 0;
  /// What flows into the domain through every face of a section of an unknown, area included. Through faces
  /// that prescribe their unknowns flows what these lack in a steady state.
  virtual std::vector<Real> section_flows(std::size_t section, const State& y, Real at,
                                          std::size_t unknown) = 0;
  std::vector<Real> section_flows(std::size_t section, const State& y, Real at) {
    return section_flows(section, y, at, 0);
  }
  /// What diffuses along an axis, per area and time, at the unknowns of a state: the mean of what flows
  /// through both faces of each control volume; its halo has what flows through sides. Of unknowns of first
  /// order in time that nothing advects.
  virtual Field flux_along(int axis, const State& y, Real at, std::size_t unknown) = 0;
  /// One operator for each axis, where coefficients do not vary in place and boundaries do not vary along
  /// themselves; nothing otherwise.
  virtual std::optional<std::vector<AxisOperator>> axis_operators(Real at) = 0;
  /// About the problem's initial values where something depends on the unknown.
  virtual Stencil stencil(Index number, Real at) = 0;
  /// Conductances and capacities of an unknown at this time.
  virtual std::shared_ptr<const Conductances> conductances(Real at, std::size_t unknown) = 0;
  std::shared_ptr<const Conductances> conductances(Real at) { return conductances(at, 0); }
  /// The closure of a side at this time; nothing for a periodic one.
  virtual std::optional<EvaluatedBoundaryClosure> closure(Side side, Real at) = 0;
  /// All closures of an unknown at this time and about a state, or none.
  virtual std::shared_ptr<const EvaluatedBoundaryClosures> closures_at(Real at, const State& y,
                                                                       std::size_t unknown) = 0;
  std::shared_ptr<const EvaluatedBoundaryClosures> closures_at(Real at, const State& y = {}) {
    return closures_at(at, y, 0);
  }
  /// All closures of an unknown: sides, cut-outs, parts.
  virtual const std::vector<BoundaryClosure>& closures(std::size_t unknown) const = 0;
  const std::vector<BoundaryClosure>& closures() const { return closures(0); }
  /// Integrals over the control volumes of an unknown.
  virtual const ControlVolumes& control_volumes(std::size_t unknown) const = 0;
  const ControlVolumes& control_volumes() const { return control_volumes(0); }
};

/// How the ranks of an execution share the grid of a system: `execution.boxes`, or what is chosen. Throws
/// InputError for boxes that the grid does not take.
Decomposition decomposition_of(const System& system, const Execution& execution);

/// The part of it that this rank has where an execution has several: its state has the values of that part
/// (`Box`), and totals, ledgers and bounds are those of all. All ranks then call everything together. Throws
/// InputError for a problem that is not complete or has coefficients that cannot be used, and for one that
/// semi-Lagrangian steps are wanted of and that carries nothing.
std::unique_ptr<Discretization> make_balance(const Problem& problem, Execution execution = {});
/// Of several unknowns, or of one with neither reaction nor flux of a system.
std::unique_ptr<Discretization> make_balance(const System& system, Execution execution = {});

}  // namespace williwaw
