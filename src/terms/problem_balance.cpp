#include "williwaw/terms/problem_balance.hpp"

#include <algorithm>

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
  if (!(p.grid() == system.problems.front().grid()))
    throw InputError("the unknowns of a system live on one grid");
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
  std::vector<CrossDiffusionTerm::Member> members;
  for (const ProblemTerms& part : parts) members.push_back({part.of, part.boundary, part.closures});
  for (const CrossDiffusion& cross : system.cross_diffusion) {
    if (cross.of >= parts.size() || cross.by >= parts.size() || cross.of == cross.by)
      throw InputError("cross diffusion is of one unknown of a system down the gradient of another");
    // A conductivity of 1, which is what an equation has unless something else is said.
    const Problem plain(parts[cross.of].problem->grid(), Equation(), parts[cross.of].problem->regions());
    const bool crossed = std::ranges::any_of(
        system.cross_diffusion, [&](const CrossDiffusion& other) { return other.of == cross.by; });
    try {
      terms.push_back(std::make_unique<CrossDiffusionTerm>(
          cross, members, Conductances(plain, parts[cross.of].storage), crossed));
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
  std::unique_ptr<SystemReactionTerm> reacts;
  if (system.reaction) reacts = std::make_unique<SystemReactionTerm>(system.reaction);
  std::vector<OfUnknown> unknowns;
  for (const Problem& p : system.problems) {
    refuse_member(system, p);
    Problem own = p;
    own.shares_flux = system.flux != nullptr;
    try {
      made.add(own, execution, p.equation().unknown + " ");
    } catch (const InputError& e) {
      throw InputError(e.subject(), "'" + p.equation().unknown + "': " + e.what(), e.name());
    }
    unknowns.push_back(made.parts.back().of);
    // The lines of an unknown stand together.
    if (reacts) reacts->add_unknown(made.parts.back().of, p.equation().unknown, made.parts.back().storage, made.lines);
  }
  if (reacts) made.terms.push_back(std::move(reacts));
  made.add_cross_diffusion(system);
  if (!made.flux) {
    made.fuse();
    return made;
  }
  std::vector<const BoundaryClosures*> closures;
  std::vector<TermId<EvaluatedBoundaryClosures>> conditions;
  for (const ProblemTerms& part : made.parts) {
    closures.push_back(part.boundary);
    conditions.push_back(part.closures);
  }
  auto carries =
      std::make_unique<SystemFluxTerm>(std::move(unknowns), made.flux, system.problems.front().reconstruction, system.characteristic,
                                       std::move(closures), std::move(conditions));
  carries->declare(made.lines);
  made.terms.push_back(std::move(carries));
  return made;
}

ProblemBalance::ProblemBalance(const Problem& problem, Execution execution)
    : ProblemBalance(Made::of(problem, execution)) {
  if (execution.semi_lagrangian)
    semi_lagrangian_ = std::make_unique<SemiLagrangian>(*this, parts_[0].advected_line, domain().threads());
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

std::unique_ptr<Discretization> make_balance(const Problem& problem, Execution execution) {
  return std::make_unique<ProblemBalance>(problem, execution);
}

std::unique_ptr<Discretization> make_balance(const System& system, Execution execution) {
  if (system.problems.size() == 1 && !system.reaction && !system.flux && system.cross_diffusion.empty())
    return make_balance(system.problems.front(), execution);
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
  std::vector<std::span<const Real>> u;
  for (const ProblemTerms& part : parts_) u.push_back(part.of.in(y));
  for (int a = 0; a < grid().dimension(); ++a) {
    flux_->speed(grid().direction(a), u, speed);
    for (Index n = 0; n < count; ++n)
      rates[static_cast<std::size_t>(n)] +=
          speed[static_cast<std::size_t>(n)] / grid().axis(a).widths()[grid().position(n)[a]];
  }
  return rates;
}

Real Discretization::fastest(const State& y) const {
  return std::ranges::max(speeds_over_widths(y));
}

}  // namespace williwaw
