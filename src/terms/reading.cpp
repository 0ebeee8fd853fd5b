// What is read from the balance of a problem rather than stepped: axis operators, stencil and fields.
#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "terms/problem_terms.hpp"
#include "williwaw/terms/problem_balance.hpp"

namespace williwaw {

std::optional<std::vector<AxisOperator>> ProblemBalance::axis_operators(Real at) {
  const auto now = this->at({at, 0, reference()});
  const ProblemTerms& part = parts_[0];
  const Conductances& conductances = now->of(part.diffusion).conductances();
  if (parts_.size() > 1 || !conductances.separable() || capabilities().reacts || part.advection)
    return std::nullopt;
  std::vector<AxisOperator> result;
  for (int a = 0; a < grid().dimension(); ++a) {
    const Axis& axis = grid().axis(a);
    const auto widths = axis.measures();
    const Real k = conductances.conductivity(a), storage = part.storage->per_volume();
    Index first = 0, end = axis.size();
    AxisOperator op;
    for (Index i = 0; i < axis.size(); ++i)
      op.diagonal.push_back(k * (conductances.before(a)[i] + conductances.after(a)[i]) / storage);
    for (Index i = 1; i < axis.size(); ++i)
      op.off_diagonal.push_back(-k /
                                (axis.resistances()[i] * storage * std::sqrt(widths[i] * widths[i - 1])));
    if (axis.periodic())
      op.corner = -k / (axis.resistances().front() * storage * std::sqrt(widths.front() * widths.back()));
    for (const EvaluatedBoundaryClosure& boundary : now->of(part.closures)) {
      if (boundary.faces() == 0 || boundary.face(0).axis != a) continue;
      const bool upper = boundary.face(0).upper;
      if (boundary.faces() != static_cast<Index>(grid().unknowns_at({a, upper}).size()))
        return std::nullopt;  // a part of it
      if (boundary.prescribes()) {
        (upper ? end : first) += upper ? -1 : 1;
        continue;
      }
      const Real pull = boundary.pull(0) / boundary.area(0);
      for (Index f = 1; f < boundary.faces(); ++f)
        if (std::abs(boundary.pull(f) / boundary.area(f) - pull) > 1e-12 * std::abs(pull))
          return std::nullopt;
      const Index edge = upper ? axis.size() - 1 : 0;
      op.diagonal[edge] += pull * axis.area(upper ? axis.to() : axis.from()) / (storage * widths[edge]);
    }
    if (end <= first) return std::nullopt;  // nothing is free along this axis
    op.diagonal = {op.diagonal.begin() + first, op.diagonal.begin() + end};
    if (end - first > 1)
      op.off_diagonal = {op.off_diagonal.begin() + first, op.off_diagonal.begin() + end - 1};
    else
      op.off_diagonal.clear();
    result.push_back(std::move(op));
  }
  return result;
}

bool ProblemBalance::holds_means() const {
  if (grid().dimension() > 1 || grid().axis(0).unknowns() == Unknowns::nodes) return false;
  if (flux_) return reconstruction_kind(parts_[0].problem->reconstruction).order > 2;
  return advects() && advection().reconstruction().order > 2;
}

State ProblemBalance::values_of(const Function& function, Real at, std::size_t unknown) const {
  const Grid& g = grid(unknown);
  const Index nx = g.size(0);
  State y(static_cast<std::size_t>(g.count()));
  Points line(nx);
  if (holds_means()) {
    const auto points = g.axis(0).points(), widths = g.axis(0).widths();
    constexpr Real places[] = {-0.7745966692414834, 0, 0.7745966692414834},
                   weights[] = {5.0 / 18, 8.0 / 18, 5.0 / 18};
    State part(y.size());
    for (std::size_t q = 0; q < 3; ++q) {
      for (Index i = 0; i < nx; ++i) {
        Point p;
        p[g.direction(0)] = points[i] + 0.5 * places[q] * widths[i];
        line.set(i, p);
      }
      function.evaluate(line, at, part);
      for (std::size_t n = 0; n < y.size(); ++n) y[n] += weights[q] * part[n];
    }
    return y;
  }
  evaluate_at_unknowns(g, function, at, y);
  return y;
}

State ProblemBalance::initial_state() const {
  State all;
  for (std::size_t u = 0; u < parts_.size(); ++u) {
    const ProblemTerms& part = parts_[u];
    State y = values_of(part.problem->initial, 0, u);
    part.volumes->average_by_region(part.problem->initial, 0, y);
    for (const Index n : part.of.domain->inactive()) y[n] = 0;
    for (const Real v : y)
      if (!std::isfinite(v))
        throw InputError(Subject::initial, "the initial value is not a finite number everywhere");
    if (u == 0)
      all = std::move(y);
    else
      all.insert(all.end(), y.begin(), y.end());
  }
  return all;
}

Field ProblemBalance::field(const State& state, Real at, std::size_t unknown) {
  expect(static_cast<Index>(state.size()) == layout().size(), "field: size of the state");
  const auto now = this->at({at, 0, state});
  const ProblemTerms& part = parts_[unknown];
  const std::span<const Real> y = part.of.in(state);

  const Grid& g = grid(unknown);
  Field result(g, y);
  result.leave_out(part.of.domain->inactive());
  if (g.is_at_one_place() && g.unknowns() == Unknowns::nodes) return result;
  // A face that parts share shows the mean of what they say, by area.
  std::map<std::pair<Index, int>, std::pair<Real, Real>> on_boundaries;
  for (const EvaluatedBoundaryClosure& boundary : now->of(part.closures))
    for (Index f = 0; f < boundary.faces(); ++f) {
      const BoundaryFace& face = boundary.face(f);
      // Nodes on a side have its value themselves.
      if (!face.on_side || g.axis(face.axis).unknowns() == Unknowns::nodes) continue;
      auto& [sum, area] = on_boundaries[{face.unknown, Side{face.axis, face.upper}.number()}];
      sum += face.area * boundary.boundary_value(f, y[face.unknown]);
      area += face.area;
    }
  for (const auto& [where, value] : on_boundaries) {
    auto place = g.position(where.first);
    place[where.second / 2] += where.second % 2 ? 1 : -1;
    result.at(place[0], place[1], place[2]) = 2 * value.first / value.second - y[where.first];
  }
  result.extend_corners();
  result.set_knows_beyond(true);
  return result;
}

Real ProblemBalance::boundary_flux(Side side, const State& y, Real at) {
  const auto& all = closures();
  const auto found =
      std::ranges::find(all, grid().side_name(side),
                        [](const BoundaryClosure& c) -> const std::string& { return c.section().name; });
  if (found == all.end()) throw InputError("a periodic side has no boundary, and so no flux through it");
  if (found->prescribes())
    throw InputError("the flow through a boundary with prescribed nodes is defined for a step only");
  Real flow = 0;
  for (const Real of_face : section_flows(static_cast<std::size_t>(found - all.begin()), y, at))
    flow += of_face;
  return flow / found->section().area();
}

std::vector<Real> ProblemBalance::section_flows(std::size_t section, const State& y, Real at,
                                                std::size_t unknown) {
  State lacking(y.size());
  if (closures(unknown)[section].prescribes()) {
    Ledger ignored(lines().size());
    rate(y, at, Parts::all(), lacking, ignored);
  }
  const auto now = this->at({at, 0, y});
  return flows_through(section, *now, y, lacking, unknown);
}

// `lacking` is C·du/dt as it would be without prescribed values, where some are.
std::vector<Real> ProblemBalance::flows_through(std::size_t section, const Evaluation& now, const State& y,
                                                const State& lacking, std::size_t unknown) {
  const ProblemTerms& part = parts_[unknown];
  const std::span<const Real> u = part.of.in(y), lacks = part.of.in(lacking);
  const EvaluatedBoundaryClosure& boundary = now.of(part.closures)[section];
  const EvaluatedAdvection* passing = part.advection ? &now.of(*part.advection) : nullptr;
  std::map<Index, Real> prescribed_area;
  for (const BoundaryClosure& other : closures(unknown))
    for (Index f = 0; f < other.faces(); ++f)
      if (other.prescribes(f)) prescribed_area[other.unknown(f)] += other.area(f);
  std::vector<Real> result;
  for (Index f = 0; f < boundary.faces(); ++f) {
    const Index n = boundary.unknown(f);
    const Real advected = passing && passing->open(section) ? passing->through(section, f) : 0;
    result.push_back(boundary.prescribes(f) ? -lacks[n] * boundary.area(f) / prescribed_area[n]
                                            : boundary.inflow(f) - boundary.pull(f) * u[n] + advected);
  }
  for (std::size_t t = 0; t < now.size(); ++t) now[t].add_through(now, y, unknown, section, result);
  return result;
}

Field ProblemBalance::flux_along(int axis, const State& y, Real at, std::size_t unknown) {
  const ProblemTerms& part = parts_[unknown];
  const Grid& g = part.grid();
  const Axis& along = g.axis(axis);
  const auto a = static_cast<std::size_t>(axis);
  const auto counts = [&](const BoundaryFace& face) { return face.on_side && face.axis == axis; };
  // All ranks ask for rates together, whichever of them has prescribed faces.
  const bool prescribe = part.of.domain->box().communicator().any(
      std::ranges::any_of(closures(unknown), [&](const BoundaryClosure& c) {
        return c.prescribes() && std::ranges::any_of(c.section().faces, counts);
      }));
  State lacking(y.size());
  if (prescribe) {
    Ledger ignored(lines().size());
    rate(y, at, Parts::all(), lacking, ignored);
  }
  const auto now = this->at({at, 0, y});
  // Through sides, where they add up over parts of one face.
  std::map<std::pair<Index, bool>, Real> on_sides;
  for (std::size_t s = 0; s < closures(unknown).size(); ++s) {
    const BoundaryClosure& boundary = closures(unknown)[s];
    if (std::ranges::none_of(boundary.section().faces, counts)) continue;
    const std::vector<Real> flows = flows_through(s, *now, y, lacking, unknown);
    for (Index f = 0; f < boundary.faces(); ++f)
      if (const BoundaryFace& face = boundary.face(f); counts(face))
        on_sides[{face.unknown, face.upper}] += (face.upper ? -1 : 1) * flows[static_cast<std::size_t>(f)];
  }
  const Conductances& conductances = now->of(part.diffusion).conductances();
  const std::span<const Real> u = part.of.in(y);
  const auto through = [&](Index n, bool upper) -> Real {
    const auto at_place = g.position(n);
    const Index i = at_place[a] + (upper ? 1 : 0), other = g.neighbour(n, axis, upper);
    const Real area = g.volume_of(n) / along.measures()[at_place[a]] * along.area(along.bounds()[i]);
    if (other < 0) {
      const auto found = on_sides.find({n, upper});
      return found == on_sides.end() || area == 0 ? 0 : found->second / area;
    }
    const Real drop =
        (upper ? 1 : -1) * (u[static_cast<std::size_t>(n)] - u[static_cast<std::size_t>(other)]) -
        conductances.rise(axis, i);
    return area == 0 ? 0 : conductances.conductance(n, axis, upper) * drop / area;
  };
  Field result(g);
  for (Index n = 0; n < g.count(); ++n) {
    const auto at_place = g.position(n);
    const bool nodes = along.unknowns() == Unknowns::nodes && !along.periodic();
    // A node on a side has what flows through that side.
    const Real low = through(n, false), high = through(n, true);
    result[n] = nodes && at_place[a] == 0                  ? low
                : nodes && at_place[a] + 1 == along.size() ? high
                                                           : 0.5 * (low + high);
  }
  result.leave_out(part.of.domain->inactive());
  result.extend();
  if (g == g.at_cells()) {
    for (const bool upper : {false, true})
      for (const Index n : g.unknowns_at({axis, upper})) {
        if (along.periodic()) break;
        auto beyond = g.position(n);
        beyond[a] += upper ? 1 : -1;
        result.at(beyond[0], beyond[1], beyond[2]) = 2 * through(n, upper) - result[n];
      }
    result.extend_corners();
    result.set_knows_beyond(true);
  }
  return result;
}

std::optional<EvaluatedBoundaryClosure> ProblemBalance::closure(Side side, Real at) {
  const auto now = this->at({at, 0, reference()});
  for (const EvaluatedBoundaryClosure& closure : now->of(parts_[0].closures))
    if (closure.section().name == grid().side_name(side)) return closure;
  return std::nullopt;
}

// At first order: what the flow takes from a neighbour stands beside what diffuses from it, and what it
// carries of the unknown itself, net, is left over.
void ProblemBalance::advection_into(const Evaluation& now, const State& y, Stencil& stencil) const {
  const EvaluatedAdvection& advected = now.of(*parts_[0].advection);
  for (auto& neighbour : stencil.neighbours) {
    const Side side = *grid().side(neighbour.towards);
    const Index below = side.upper ? stencil.number : neighbour.number;
    const auto [first, second] =
        advected.weights(y, side.axis, below, side.upper ? neighbour.number : stencil.number);
    neighbour.conductance += side.upper ? -second : first;
    stencil.divergence_term += side.upper ? first + second : -(first + second);
  }
  if (advected.has_divergence_term()) stencil.divergence_term -= advected.divergence_term(stencil.number, 1);
  for (std::size_t c = 0; c < closures().size(); ++c)
    for (Index f = 0; advected.open(c) && f < closures()[c].faces(); ++f)
      if (const BoundaryClosure& boundary = closures()[c];
          boundary.unknown(f) == stencil.number && !boundary.prescribes(f))
        stencil.boundaries.push_back({boundary.section().name + ": advection", advected.through(c, f), 0});
}

Stencil ProblemBalance::stencil(Index number, Real at) {
  const ProblemTerms& part = parts_[0];
  const State about = advects() ? initial_state() : reference();
  const auto now = this->at({at, 0, about});
  const Conductances& conductances = now->of(part.diffusion).conductances();
  const Grid& g = grid();
  Stencil result;
  result.number = number;
  result.place = g.point_of(number);
  result.volume = part.storage->volume(number);
  result.capacity = part.storage->capacity(number);
  for (int a = 0; a < g.dimension(); ++a)
    for (const bool up : {false, true})
      if (const Index other = g.neighbour(number, a, up); other >= 0 && outline().active(other))
        result.neighbours.push_back({g.side_name({a, up}), other, conductances.conductance(number, a, up)});
  if (advects()) advection_into(*now, about, result);
  for (const EvaluatedBoundaryClosure& boundary : now->of(part.closures))
    for (Index f = 0; f < boundary.faces(); ++f)
      if (boundary.unknown(f) == number && !boundary.prescribes(f))
        for (std::size_t c = 0; c < boundary.conditions(); ++c)
          result.boundaries.push_back({boundary.closure().lines()[c].name, boundary.flow_of(c, f, 0),
                                       boundary.flow_of(c, f, 0) - boundary.flow_of(c, f, 1)});
  result.source = now->of(part.source).amount(number, result.volume);
  if (part.points)
    for (const auto& point : now->of(*part.points).all())
      if (point.unknown == number) result.source += point.rate;
  if (capabilities().reacts) {
    const State start = about.empty() ? initial_state() : about;
    State inside(start.size());
    Ledger ignored(lines().size());
    rate(start, at, Parts::source(), inside, ignored);
    result.reaction = inside[static_cast<std::size_t>(number)] - result.source;
  }
  const auto found = std::ranges::lower_bound(prescribed(), number);
  if (found != prescribed().end() && *found == number) {
    result.prescribed = true;
    result.prescribed_value = prescribed_at(at)[static_cast<std::size_t>(found - prescribed().begin())];
  }
  return result;
}

}  // namespace williwaw
