// The balance of heat, diffusion, wave and transport problems, put together from terms.
#pragma once

#include "williwaw/terms/discretization.hpp"
#include "williwaw/terms/system_terms.hpp"

namespace williwaw {

struct ProblemTerms;

/// storage·du/dt + ∇·(advection) = ∇·(k∇u) + source + reaction(u) + points, on cells or nodes, with a block
/// of unknowns for each problem; for waves the second derivative stands on the left, and dynamics() says what
/// that adds. Unknowns whose control volumes are cut out of the domain stand in the state as zeros and take
/// no part.
class ProblemBalance final : public Discretization {
 public:
  /// Throws InputError for a problem that is not complete or has coefficients that cannot be used, and for
  /// one that semi-Lagrangian steps are wanted of and that advects nothing.
  explicit ProblemBalance(const Problem& problem, Execution execution = {});
  /// Several unknowns, one problem each: each diffuses, is advected by a given velocity and meets boundaries
  /// by itself, and all of them react with each other, diffuse down each other's gradients or advect each
  /// other. Problems share the axes of a grid; components of a vector may stand on the faces normal to them
  /// (`Grid::on_faces`), beside others at cells, where unknowns advect and react. Those of a system with a
  /// flux have no advection of their own. Throws InputError for other ones, for cut-outs and axes r with a
  /// flux, and for uneven axes with reconstructions that need more than a slope.
  explicit ProblemBalance(const System& system, Execution execution = {});
  explicit ProblemBalance(const std::vector<Problem>& problems, SystemReaction reaction = {},
                          std::shared_ptr<const SystemFlux> flux = nullptr, Execution execution = {})
      : ProblemBalance(System{problems, std::move(reaction), std::move(flux)}, execution) {}
  ~ProblemBalance() override;
  ProblemBalance(const ProblemBalance&) = delete;
  ProblemBalance& operator=(const ProblemBalance&) = delete;

  DataBounds data_bounds(Real at) override;
  SecondOrderDynamics& dynamics() override;
  SemiLagrangianAdvection& semi_lagrangian() override;
  std::unique_ptr<FirstOrderForm> first_order_form() override;

  using Discretization::closures;
  using Discretization::closures_at;
  using Discretization::conductances;
  using Discretization::control_volumes;
  using Discretization::field;
  using Discretization::problem;
  using Discretization::section_flows;
  using Discretization::values_of;
  using Discretization::volume;
  const Problem& problem(std::size_t unknown) const override;
  const SystemReaction& reaction() const override { return reaction_; }
  const SystemFlux* flux() const override { return flux_.get(); }
  const std::vector<CrossDiffusion>& cross_diffusion() const override { return cross_diffusion_; }
  Real volume(std::size_t unknown) const override;
  bool advects() const override;
  const EvaluatedAdvection& advection() const override;
  std::shared_ptr<const EvaluatedAdvection> advection(Real at, const State& y) override;
  std::shared_ptr<const EvaluatedAdvection> advection(Real at, const State& y, const Range& range) override;
  std::vector<Real> speeds_over_widths(const State& y) const override;
  State initial_state() const override;
  bool holds_means() const override;
  State values_of(const Function& function, Real at, std::size_t unknown) const override;
  Field field(const State& y, Real at, std::size_t unknown) override;
  Real boundary_flux(Side side, const State& y, Real at) override;
  std::vector<Real> section_flows(std::size_t section, const State& y, Real at, std::size_t unknown) override;
  Field flux_along(int axis, const State& y, Real at, std::size_t unknown) override;
  std::optional<std::vector<AxisOperator>> axis_operators(Real at) override;
  Stencil stencil(Index number, Real at) override;
  std::shared_ptr<const Conductances> conductances(Real at, std::size_t unknown) override;
  std::optional<EvaluatedBoundaryClosure> closure(Side side, Real at) override;
  std::shared_ptr<const EvaluatedBoundaryClosures> closures_at(Real at, const State& y,
                                                               std::size_t unknown) override;
  const std::vector<BoundaryClosure>& closures(std::size_t unknown) const override;
  const ControlVolumes& control_volumes(std::size_t unknown) const override;

 private:
  struct Made;
  explicit ProblemBalance(Made made);
  std::vector<Real> flows_through(std::size_t section, const Evaluation& now, const State& y,
                                  const State& lacking, std::size_t unknown);
  void advection_into(const Evaluation& now, const State& y, Stencil& stencil) const;

  std::vector<ProblemTerms> parts_;
  SystemReaction reaction_;
  std::shared_ptr<const SystemFlux> flux_;
  std::vector<CrossDiffusion> cross_diffusion_;
  std::unique_ptr<SecondOrderDynamics> dynamics_;
  std::unique_ptr<SemiLagrangianAdvection> semi_lagrangian_;
};

}  // namespace williwaw
