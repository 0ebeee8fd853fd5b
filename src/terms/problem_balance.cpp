#include "williwaw/terms/problem_balance.hpp"

#include <algorithm>

#include "balance/tiles.hpp"
#include "terms/advection/semi_lagrangian.hpp"
#include "terms/problem_terms.hpp"
#include "terms/waves/wave_dynamics.hpp"
#include "terms/waves/wave_system.hpp"

namespace williwaw {

struct ProblemBalance::Made {
  std::vector<Unknown> unknowns = {};
  std::vector<std::unique_ptr<Term>> terms = {};
  LedgerLines lines = {};
  std::vector<std::unique_ptr<FusedStep>> fused = {};
  std::vector<ProblemTerms> parts = {};
  SystemReaction reaction = {};
  std::shared_ptr<const SystemFlux> flux = {};
  std::vector<CrossDiffusion> cross_diffusion = {};

  void add(const Problem& problem, const Execution& execution, const std::string& prefix) {
    const Index first = parts.empty() ? 0 : parts.back().of.first + parts.back().of.count();
    parts.push_back(
        add_terms(problem, execution, static_cast<int>(parts.size()), first, prefix, terms, lines));
    const ProblemTerms& made = parts.back();
    unknowns.push_back({problem.equation().unknown,
                        made.contents ? made.contents : std::shared_ptr<const Storage>(made.storage)});
  }
  static Made of(const Problem& problem, const Execution& execution);
  static Made of(const System& system, const Execution& execution);
  void add_unknowns(const System& system, const Execution& execution);
  std::vector<SystemMember> members() const;
  template <class Flux>
  void add_flux(std::unique_ptr<Flux> term);
  void add_flux_on_faces(const std::vector<SystemMember>& members, const std::string& reconstruction);
  void add_cross_diffusion(const System& system);
  void fuse();
};

ProblemBalance::Made ProblemBalance::Made::of(const Problem& problem, const Execution& execution) {
  Made made;
  made.add(problem, execution, "");
  made.fuse();
  return made;
}

namespace {

void refuse_member(const System& system, const Problem& p) {
  const Grid& g = system.problems.front().grid();
  if (!(p.grid().at_cells() == g.at_cells()))
    throw InputError("the unknowns of a system share the axes of a grid");
  if (!(p.grid() == g) && system.characteristic)
    throw InputError(Subject::reconstruction,
                     "characteristic variables are of unknowns at one place: take them at cells or at nodes");
  if (!(p.grid() == g) && !system.cross_diffusion.empty())
    throw InputError(Subject::diffusion,
                     "cross diffusion is between unknowns at one place: take them at cells or at nodes",
                     system.problems[system.cross_diffusion.front().of].equation().unknown);
  if (p.equation().second_order)
    throw InputError("'" + p.equation().unknown + "': unknowns of a system are of first order in time");
  if (p.equation().advection && system.flux)
    throw InputError("'" + p.equation().unknown +
                     "': unknowns of a system with a flux are advected by that flux");
  if (p.equation().advection && p.equation().advection->law)
    throw InputError("'" + p.equation().unknown + "': unknowns of a system have a flux in common");
}

}  // namespace

// Steps of explicit Euler by one pass for each unknown, where all of them are of that kind.
void ProblemBalance::Made::fuse() {
  for (std::size_t u = 0; u < parts.size(); ++u)
    if (!DiffusionStep::fits(terms, parts[u].diffusion, *unknowns[u].storage)) return;
  for (const ProblemTerms& part : parts) fused.push_back(std::make_unique<DiffusionStep>(part.diffusion));
}

void ProblemBalance::Made::add_cross_diffusion(const System& system) {
  for (const CrossDiffusion& cross : system.cross_diffusion) {
    if (cross.of >= parts.size() || cross.by >= parts.size() || cross.of == cross.by)
      throw InputError("cross diffusion is of one unknown of a system down the gradient of another");
    // A conductivity of 1, which is what an equation has unless something else is said.
    const Problem plain(parts[cross.of].problem->grid(), Equation(), parts[cross.of].problem->regions());
    const bool crossed = std::ranges::any_of(
        system.cross_diffusion, [&](const CrossDiffusion& other) { return other.of == cross.by; });
    try {
      terms.push_back(std::make_unique<CrossDiffusionTerm>(
          cross, members(), Conductances(plain, parts[cross.of].storage), crossed));
    } catch (const InputError& e) {
      throw InputError(e.subject(), "'" + system.problems[cross.of].equation().unknown + "': " + e.what(),
                       e.name());
    }
  }
  cross_diffusion = system.cross_diffusion;
}

ProblemBalance::Made ProblemBalance::Made::of(const System& system, const Execution& execution) {
  if (system.problems.empty()) throw InputError("a system needs one unknown at least");
  if (system.flux && system.flux->components() != 0 && system.flux->components() != system.problems.size())
    throw InputError("the flux is for " + std::to_string(system.flux->components()) +
                     " unknowns, and the system has " + std::to_string(system.problems.size()));
  if (execution.semi_lagrangian)
    throw InputError(Subject::scheme, "semi-Lagrangian steps are for one unknown: choose another scheme");
  Made made;
  made.reaction = system.reaction;
  made.flux = system.flux;
  made.add_unknowns(system, execution);
  made.add_cross_diffusion(system);
  if (!made.flux) {
    made.fuse();
    return made;
  }
  std::vector<SystemMember> members = made.members();
  const Problem& first = system.problems.front();
  if (std::ranges::all_of(system.problems, [&](const Problem& p) { return p.grid() == first.grid(); }))
    made.add_flux(std::make_unique<SystemFluxTerm>(std::move(members), made.flux, first.reconstruction,
                                                   system.characteristic));
  else
    made.add_flux_on_faces(members, first.reconstruction);
  return made;
}

// The problems, and what they make of each other: a term for the unknowns at each place of the grid.
void ProblemBalance::Made::add_unknowns(const System& system, const Execution& execution) {
  std::vector<std::pair<Grid, std::unique_ptr<SystemReactionTerm>>> reactions;
  for (const Problem& p : system.problems) {
    refuse_member(system, p);
    const bool known = std::ranges::any_of(reactions, [&](const auto& r) { return r.first == p.grid(); });
    if (system.reaction && !known)
      reactions.emplace_back(p.grid(), std::make_unique<SystemReactionTerm>(system.reaction, p.grid()));
  }
  for (const Problem& p : system.problems) {
    Problem own = p;
    own.shares_flux = system.flux != nullptr;
    try {
      add(own, execution, p.equation().unknown + " ");
    } catch (const InputError& e) {
      throw InputError(e.subject(), "'" + p.equation().unknown + "': " + e.what(), e.name());
    }
    // The lines of an unknown stand together.
    for (const auto& [grid, term] : reactions)
      term->add_unknown(parts.back().of, p.equation().unknown, parts.back().storage, lines);
  }
  for (auto& [grid, term] : reactions) terms.push_back(std::move(term));
}

std::vector<SystemMember> ProblemBalance::Made::members() const {
  std::vector<SystemMember> result;
  for (const ProblemTerms& part : parts) result.push_back({part.of, part.boundary, part.closures});
  return result;
}

template <class Flux>
void ProblemBalance::Made::add_flux(std::unique_ptr<Flux> term) {
  term->declare(lines);
  terms.push_back(std::move(term));
}

void ProblemBalance::Made::add_flux_on_faces(const std::vector<SystemMember>& members,
                                             const std::string& reconstruction) {
  std::array<std::optional<OfUnknown>, 3> velocity;
  const Grid& g = parts.front().grid();
  bool any = false;
  for (int a = 0; a < g.dimension(); ++a)
    if (const int number = flux->velocity(g.direction(a)); number >= 0) {
      velocity[static_cast<std::size_t>(a)] = parts[static_cast<std::size_t>(number)].of;
      any = true;
    }
  if (!any)
    throw InputError(Subject::flux,
                     "fluxes by formulas are of unknowns at one place: take them at cells or at nodes");
  for (const SystemMember& member : members)
    add_flux(std::make_unique<FaceAdvectionTerm>(member, velocity, flux->advective(), reconstruction));
}

ProblemBalance::ProblemBalance(const Problem& problem, Execution execution)
    : ProblemBalance(Made::of(problem, execution)) {
  if (execution.semi_lagrangian)
    semi_lagrangian_ = std::make_unique<SemiLagrangian>(*this, parts_[0].advected_line);
  if (problem.equation().second_order) {
    const LineId damping = declare({"damping", LedgerLine::Kind::source, ""});
    const LineId scheme = declare({"scheme", LedgerLine::Kind::source, ""});
    parts_[0].wave_lines = {damping, scheme};
    dynamics_ = std::make_unique<WaveDynamics>(*this, parts_[0], workspace());
  }
  offered().second_order = dynamics_ != nullptr;
  offered().first_order_form = dynamics_ && problem.equation().as_system;
  offered().semi_lagrangian = semi_lagrangian_ != nullptr;
}

ProblemBalance::ProblemBalance(const System& system, Execution execution)
    : ProblemBalance(Made::of(system, execution)) {}

ProblemBalance::ProblemBalance(Made made)
    : Discretization(std::move(made.unknowns), std::move(made.terms), std::move(made.lines),
                     std::move(made.fused)),
      parts_(std::move(made.parts)),
      reaction_(std::move(made.reaction)),
      flux_(std::move(made.flux)),
      cross_diffusion_(std::move(made.cross_diffusion)) {
  if (reaction_ || flux_ || !cross_diffusion_.empty() ||
      std::ranges::any_of(parts_, [](const ProblemTerms& p) { return p.problem->is_nonlinear(); }))
    set_reference(initial_state());
  offered().data_change =
      (reaction_ && reaction_.on_time) || std::ranges::any_of(cross_diffusion_, &CrossDiffusion::on_time) ||
      std::ranges::any_of(parts_, [](const ProblemTerms& p) { return p.problem->data_change_in_time(); });
}

ProblemBalance::~ProblemBalance() = default;

namespace {

// How far beyond a box terms of a problem read. Where something is cut out control volumes take what is left
// of those beside them, which these may have taken from others.
int halo_of(const System& system) {
  int halo = system.flux ? 3 : 1;
  for (const Problem& p : system.problems) {
    if (p.equation().advection || p.space_order > 2) halo = std::max(halo, 3);
    if (p.equation().second_order) halo = std::max(halo, 2);
    for (Index r = 0; r < p.regions().size(); ++r)
      if (!p.regions()[r].active) halo = std::max(halo, 4);
  }
  return halo;
}

// How far a step reads, or a stage of one.
int reach_of(const System& system) {
  const auto far = [](const Problem& p) { return p.equation().advection || p.space_order > 2; };
  return system.flux || std::ranges::any_of(system.problems, far) ? 3 : 1;
}

// What is not there on several ranks is said before anything is computed.
void refuse_on_ranks(const Execution& execution) {
  if (execution.semi_lagrangian)
    throw InputError(
        Subject::scheme,
        "semi-Lagrangian steps reach beyond the halo of a rank's box: run it on one rank, or take "
        "an explicit scheme");
}

}  // namespace

Decomposition decomposition_of(const System& system, const Execution& execution) {
  const Grid& grid = system.problems.front().grid();
  const int ranks = execution.communicator ? execution.communicator->size() : 1, halo = halo_of(system);
  const bool chosen = execution.boxes[0] == 0;
  // Lines in which nothing takes part cost nothing; who is alone has them all.
  const Regions& regions = system.problems.front().regions();
  const bool looks = regions.cuts() && grid.dimension() > 1 && (ranks > 1 || !chosen);
  const auto at_work = looks ? std::make_shared<const CellsAtWork>(grid, regions) : nullptr;
  if (chosen) return Decomposition::choose(grid, ranks, halo, execution.cuts_lines, at_work);
  if (execution.boxes[0] > 1 && !execution.cuts_lines)
    throw InputError(Subject::grid, std::to_string(execution.boxes[0]) + " boxes along axis " +
                                        grid.axis(0).name() +
                                        ": implicit steps and steady states need whole lines along the first "
                                        "axis; give 1 there, or take an explicit scheme");
  return {grid, execution.boxes, halo, at_work};
}

std::unique_ptr<Discretization> make_balance(const Problem& problem, Execution execution) {
  return make_balance(System{{problem}, {}, {}}, std::move(execution));
}

std::unique_ptr<Discretization> make_balance(const System& system, Execution execution) {
  if (execution.communicator && execution.communicator->size() > 1 && !execution.decomposition) {
    refuse_on_ranks(execution);
    Communicator& ranks = *execution.communicator;
    Decomposition boxes = decomposition_of(system, execution);
    if (execution.in_passes)
      boxes =
          boxes.reaching((most_in_pass(system.problems.front().grid().dimension()) - 1) * reach_of(system));
    execution.decomposition = std::make_shared<const Decomposition>(std::move(boxes));
    if (execution.decomposition->count() != ranks.size())
      throw InputError(Subject::grid, "the grid can be shared by " +
                                          std::to_string(execution.decomposition->count()) +
                                          " ranks, not by " + std::to_string(ranks.size()));
    System part = system;
    for (Problem& p : part.problems) p = p.on(execution.decomposition->part(p.grid(), ranks.rank()));
    return make_balance(part, std::move(execution));
  }
  if (system.problems.size() == 1 && !system.reaction && !system.flux && system.cross_diffusion.empty())
    return std::make_unique<ProblemBalance>(system.problems.front(), execution);
  return std::make_unique<ProblemBalance>(system, execution);
}

const Problem& ProblemBalance::problem(std::size_t unknown) const {
  return *parts_[unknown].problem;
}

Real ProblemBalance::volume(std::size_t unknown) const {
  return parts_[unknown].volume;
}

const std::vector<BoundaryClosure>& ProblemBalance::closures(std::size_t unknown) const {
  return parts_[unknown].boundary->all();
}

const ControlVolumes& ProblemBalance::control_volumes(std::size_t unknown) const {
  return *parts_[unknown].volumes;
}

SecondOrderDynamics& ProblemBalance::dynamics() {
  return dynamics_ ? *dynamics_ : TermBalance::dynamics();
}

SemiLagrangianAdvection& ProblemBalance::semi_lagrangian() {
  return semi_lagrangian_ ? *semi_lagrangian_ : TermBalance::semi_lagrangian();
}

std::unique_ptr<FirstOrderForm> ProblemBalance::first_order_form() {
  if (!capabilities().first_order_form) return TermBalance::first_order_form();
  return std::make_unique<WaveSystem>(*this, parts_[0]);
}

// No maximum principle holds for waves; their energy is watched instead.
DataBounds ProblemBalance::data_bounds(Real at) {
  if (dynamics_) return {};
  DataBounds result = TermBalance::data_bounds(at);
  // How far an amount moves the unknown is not known where that depends on the unknown.
  if (std::ranges::any_of(parts_, [](const ProblemTerms& p) { return p.contents != nullptr; }))
    result.known = result.known && result.raising == 0 && result.lowering == 0;
  return result;
}

bool ProblemBalance::advects() const {
  return parts_[0].advection_term != nullptr;
}

const EvaluatedAdvection& ProblemBalance::advection() const {
  expect(advects(), "advection: of balances that advect");
  return parts_[0].advection_term->fixed();
}

std::shared_ptr<const EvaluatedAdvection> ProblemBalance::advection(Real at, const State& y) {
  expect(advects(), "advection: of balances that advect");
  const auto now = this->at({at, 0, y});
  return {now, &now->of(*parts_[0].advection)};
}

std::shared_ptr<const EvaluatedAdvection> ProblemBalance::advection(Real at, const State& y,
                                                                    const Range& range) {
  // Where the law turns is looked for within the state's own range first.
  this->at({at, 0, y});
  Totals known;
  known.lowest = range.lowest;
  known.highest = range.highest;
  const auto now = this->at({at, 0, y, &known});
  return {now, &now->of(*parts_[0].advection)};
}

std::shared_ptr<const Conductances> ProblemBalance::conductances(Real at, std::size_t unknown) {
  const auto now = this->at({at, 0, reference()});
  return {now, &now->of(parts_[unknown].diffusion).conductances()};
}

std::shared_ptr<const EvaluatedBoundaryClosures> ProblemBalance::closures_at(Real at, const State& y,
                                                                             std::size_t unknown) {
  const auto now = this->at({at, 0, y.empty() ? reference() : y});
  return {now, &now->of(parts_[unknown].closures)};
}

std::vector<Real> ProblemBalance::speeds_over_widths(const State& y) const {
  const Index count = grid().count();
  std::vector<Real> rates(static_cast<std::size_t>(count), 0.0), speed(rates.size());
  if (!flux_) return rates;
  const State brought = is_at_one_place() ? State() : at_places_of_first(y);
  const State& all = is_at_one_place() ? y : brought;
  std::vector<std::span<const Real>> u;
  for (std::size_t m = 0; m < parts_.size(); ++m)
    u.push_back(std::span(all).subspan(m * static_cast<std::size_t>(count), static_cast<std::size_t>(count)));
  for (int a = 0; a < grid().dimension(); ++a) {
    flux_->speed(grid().direction(a), u, speed);
    for (Index n = 0; n < count; ++n)
      rates[static_cast<std::size_t>(n)] +=
          speed[static_cast<std::size_t>(n)] / grid().axis(a).widths()[grid().position(n)[a]];
  }
  return rates;
}

State Discretization::at_places_of_first(const State& y) const {
  State result;
  for (std::size_t u = 0; u < unknowns().size(); ++u) {
    const std::span own = std::span(y).subspan(static_cast<std::size_t>(layout().start(u)),
                                               static_cast<std::size_t>(grid(u).count()));
    const State there = MeansBetween(grid(), grid(u)).all(own);
    result.insert(result.end(), there.begin(), there.end());
  }
  return result;
}

Real Discretization::fastest(const State& y) const {
  return std::ranges::max(speeds_over_widths(y));
}

}  // namespace williwaw
