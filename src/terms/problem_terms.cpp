#include "terms/problem_terms.hpp"

#include "domain/lines.hpp"
#include "terms/content_storage.hpp"

namespace williwaw {

namespace {

// Terms to come, each with the number that it will have.
class Row {
 public:
  explicit Row(std::vector<std::unique_ptr<Term>>& terms) : terms_(terms) {}
  template <class Evaluated, class Made>
  TermId<Evaluated> add(std::unique_ptr<Made> term) {
    terms_.push_back(std::move(term));
    return {terms_.size() - 1};
  }

 private:
  std::vector<std::unique_ptr<Term>>& terms_;
};

void find_volume(ProblemTerms& result) {
  const Domain& domain = *result.of.domain;
  const Grid& g = result.grid();
  result.volume = g.whole().volume();
  if (domain.outline().whole()) return;
  result.volume =
      sum_over(domain, [&](Index n) { return domain.outline().active(n) ? result.storage->volume(n) : 0; });
}

// What appears inside depending on the unknown: the reaction, and a source that does.
std::optional<Reaction> reaction_of(const Equation& equation) {
  if (!equation.source.depends_on_unknown()) return equation.reaction;
  Function inside = equation.source;
  if (const auto& reaction = equation.reaction)
    inside = sum(inside, Function::of_unknown(reaction->rate, reaction->slope, true, reaction->on_time));
  Reaction result;
  result.rate = [inside](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
    inside.evaluate(places, time, u, out);
  };
  result.slope = [inside](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
    inside.slope(places, time, u, out);
  };
  result.on_time = inside.depends_on_time();
  return result;
}

}  // namespace

std::vector<std::size_t> ProblemTerms::inner() const {
  std::vector<std::size_t> result{source.number};
  if (reaction) result.push_back(reaction->number);
  if (points) result.push_back(points->number);
  return result;
}

ProblemTerms add_terms(const Problem& given, const Execution& execution, int number, Index first,
                       const std::string& prefix, std::vector<std::unique_ptr<Term>>& terms,
                       LedgerLines& lines) {
  given.validate();
  ProblemTerms result;
  result.problem = std::make_shared<const Problem>(given);
  const Problem& problem = *result.problem;
  const Equation& equation = problem.equation();
  Outline outline(problem.grid(), problem.regions());
  std::vector<BoundarySection> sections = boundary_sections(problem, outline);
  const auto domain = std::make_shared<const Domain>(problem.grid(), std::move(outline), execution);
  result.of = {domain, number, first, prefix};
  for (std::size_t s = sections.size() - problem.parts().size(); s < sections.size(); ++s)
    if (!domain->box().communicator().any(!sections[s].faces.empty()))
      throw InputError(Subject::boundary,
                       "part '" + sections[s].name + "' has no face on this grid: is its formula right?");
  result.volumes = std::make_shared<const ControlVolumes>(problem, domain);
  if (equation.stores_nonlinearly()) {
    const auto contents =
        std::make_shared<ContentStorage>(domain, content_of(problem, *domain), *result.volumes);
    result.storage = capacities_at_start(problem, *contents);
    result.contents = contents;
  } else {
    result.storage = linear_storage(problem, *result.volumes, domain);
  }
  find_volume(result);

  const Conductances conductances(problem, result.storage);
  std::vector<BoundaryClosure> closures;
  for (BoundarySection& section : sections) {
    std::vector<Real> capacities;
    for (const BoundaryFace& face : section.faces)
      capacities.push_back(result.storage->capacity(face.unknown));
    closures.emplace_back(problem.grid(), std::move(section), std::move(capacities));
  }
  const bool wide = problem.space_order == 4;
  if (!wide && problem.space_order != 2)
    throw InputError(Subject::space_order, "the order of differences in space must be 2 or 4");

  Row row(terms);
  result.diffusion =
      row.add<EvaluatedDiffusion>(std::make_unique<DiffusiveFlows>(result.of, conductances, !wide));
  auto boundary = std::make_unique<BoundaryClosures>(
      result.of, std::move(closures), problem.corners,
      [id = result.diffusion](const Evaluation& earlier) -> const BoundaryMedium& {
        return earlier.of(id).conductances();
      });
  result.boundary = boundary.get();
  boundary->declare(lines);
  result.closures = row.add<EvaluatedBoundaryClosures>(std::move(boundary));
  BoundaryFlows::Advective advected;
  std::unique_ptr<AdvectionTerm> advection;
  if (equation.advection)
    advection = std::make_unique<AdvectionTerm>(result.of, problem, result.storage, result.boundary->all(),
                                                result.diffusion, result.closures);
  AdvectionTerm* const advection_term = advection.get();
  result.advection_term = advection_term;
  if (advection) {
    if (advection->fixed().flux().needs_step && !result.boundary->prescribed().empty())
      throw InputError(Subject::numerical_flux, "numerical flux '" + advection->fixed().flux().name +
                                                    "' takes no prescribed nodes: use unknowns at cells");
    result.advection = row.add<EvaluatedAdvection>(std::move(advection));
    advected = [id = *result.advection](const Evaluation& now) { return now.of(id).flows(); };
  }
  if (wide) {
    auto term = std::make_unique<WideTerm>(result.of, problem);
    result.wide_term = term.get();
    result.wide = row.add<EvaluatedWide>(std::move(term));
  } else {
    auto flows = std::make_unique<BoundaryFlows>(result.of, *result.boundary, result.closures, advected);
    result.flows = flows.get();
    row.add<EvaluatedTerm>(std::move(flows));
  }
  auto source = std::make_unique<SourceTerm>(
      result.of, equation.source.depends_on_unknown() ? Function(0.0) : equation.source, result.volumes,
      result.storage);
  source->declare(lines);
  result.source_term = source.get();
  result.source = row.add<EvaluatedSource>(std::move(source));
  if (const auto reacts = reaction_of(equation)) {
    auto reaction = std::make_unique<ReactionTerm>(result.of, *reacts, result.storage, problem.initial);
    reaction->declare(lines);
    result.reaction = row.add<EvaluatedReaction>(std::move(reaction));
  }
  if (advection_term) advection_term->declare(lines);
  if (execution.semi_lagrangian) {
    if (!advection_term) throw InputError(Subject::scheme, "scheme 'semi-lagrangian' needs advection");
    result.advected_line = lines.declare({prefix + "carried", LedgerLine::Kind::source, "", number});
  }
  if (!equation.points.empty()) {
    auto points = std::make_unique<PointSourcesTerm>(result.of, equation.points, result.storage);
    points->declare(lines);
    result.points = row.add<EvaluatedPoints>(std::move(points));
  }
  return result;
}

}  // namespace williwaw
