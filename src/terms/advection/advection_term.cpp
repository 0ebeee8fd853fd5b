#include "williwaw/terms/advection_term.hpp"

#include <algorithm>
#include <cmath>

#include "terms/advection/advection_workspace.hpp"

namespace williwaw {

AdvectionScheme::AdvectionScheme(OfUnknown of_unknown, const Problem& of_problem, const LinearStorage& stored,
                                 const std::vector<BoundaryClosure>& at_boundary)
    : of(std::move(of_unknown)),
      problem(of_problem),
      grid(of.domain->grid()),
      outline(of.domain->outline()),
      storage(stored),
      closures(at_boundary),
      reconstruction(&reconstruction_kind(problem.reconstruction)),
      flux(&numerical_flux(problem.numerical_flux)),
      law(problem.equation().advection->law.get()),
      has_divergence_term(!problem.equation().advection->conservative),
      splits(!reconstruction->slope && grid.dimension() > 1) {
  check();
  for (int a = 0; a < grid.dimension(); ++a)
    if (!grid.axis(a).is_uniform() && reconstruction->slope)
      spacing[static_cast<std::size_t>(a)] = distances_of_faces(grid.axis(a));
  if (!outline.whole()) find_incomplete();
}

void AdvectionScheme::check() const {
  const std::string name = "reconstruction '" + reconstruction->name + "'";
  for (int a = 0; a < grid.dimension(); ++a)
    if (!reconstruction->slope && !grid.axis(a).is_uniform())
      throw InputError(Subject::reconstruction,
                       name + " needs uniform axes; take a limited one, van-leer for example");
  if (!reconstruction->slope && !outline.whole())
    throw InputError(Subject::reconstruction,
                     name + " needs a rectangle without inactive regions; take van-leer for example");
  if (splits && !flux->splits)
    throw InputError(Subject::reconstruction,
                     name + " in 2-D or 3-D splits the flux by its largest speed (lax-friedrichs); flux '" +
                         flux->name + "' is possible with it in 1-D only");
  if (splits && grid.axis(0).unknowns() == Unknowns::nodes && !law &&
      problem.equation().advection->velocity.stream_function)
    throw InputError(Subject::reconstruction, name + " on nodes takes no stream function");
  const std::string called = "numerical flux '" + flux->name + "'";
  if (law && flux->linear_only)
    throw InputError(
        Subject::numerical_flux,
        called + " is for velocities; a flux that depends on the unknown takes upwind for example");
  if (flux->needs_step && grid.dimension() > 1)
    throw InputError(Subject::numerical_flux,
                     called + " is for one dimension: without terms across axes it is unstable in more");
  if (flux->needs_step && !grid.axis(0).is_uniform())
    throw InputError(Subject::numerical_flux, called + " needs a uniform axis");
  if ((flux->needs_step || flux->blends) && reconstruction->order > 1)
    throw InputError(Subject::numerical_flux, called + " takes reconstruction \"first-order\"");
  if (law && has_divergence_term)
    throw InputError("form \"advective\" needs a velocity; a flux law is conservative");
  if (law)
    for (const BoundaryClosure& c : closures)
      for (Index f = 0; c.section().boundary.advective_boundary() && f < c.faces(); ++f)
        if (std::abs(c.face(f).normal[grid.direction(c.face(f).axis)]) < 1 - 1e-9)
          throw InputError("'" + c.section().name +
                           "' is slanted, and a flux that depends on the unknown passes straight boundaries "
                           "only: close it (\"insulated\") or cut along faces of the grid");
}

// Where a neighbour that the slopes look at is gone, the face does without it.
void AdvectionScheme::find_incomplete() {
  for (int a = 0; a < grid.dimension(); ++a) {
    const Axis& axis = grid.axis(a);
    const std::array<Index, 3> end{grid.size(0) + (a == 0), grid.size(1) + (a == 1), grid.size(2) + (a == 2)};
    const auto gone = [&](std::array<Index, 3> at, Index shift) {
      at[a] += shift;
      const Index size = axis.size();
      if (axis.periodic()) at[a] = (at[a] % size + size) % size;
      if (at[a] < 0 || at[a] >= size) return false;  // the halo knows
      return !outline.active(grid.number(at[0], at[1], at[2]));
    };
    for (Index k = 0; k < end[2]; ++k)
      for (Index j = 0; j < end[1]; ++j) {
        first_incomplete[a].push_back(incomplete[a].size());
        for (Index i = 0; i < end[0]; ++i) {
          const std::array<Index, 3> at{i, j, k};
          const bool low = gone(at, -2) || gone(at, -1), high = gone(at, 0) || gone(at, 1);
          if (low || high) incomplete[a].push_back({i, low, high});
        }
      }
    first_incomplete[a].push_back(incomplete[a].size());
  }
}

void EvaluatedAdvection::see_range(std::span<const Real> y, const Range* range) {
  if (range) {
    range_ = *range;
  } else {
    Real low = std::numeric_limits<Real>::infinity(), high = -low;
    const Index count = scheme_.grid.count();
    const bool whole = scheme_.outline.whole();
    [[maybe_unused]] const int threads = scheme_.of.domain->threads();
#pragma omp parallel for schedule(static) reduction(min                      \
                                                    : low) reduction(max     \
                                                                     : high) \
    num_threads(threads) if (threads > 1)
    for (Index n = 0; n < count; ++n)
      if (whole || scheme_.outline.active(n)) {
        low = y[n] < low ? y[n] : low;
        high = y[n] > high ? y[n] : high;
      }
    range_ = {low, high};
  }
  for (const EvaluatedBoundaryClosure& c : *closures_) {
    if (!c.section().boundary.advective_boundary()) continue;
    range_.lowest = std::min(range_.lowest, c.data_bounds().lowest);
    range_.highest = std::max(range_.highest, c.data_bounds().highest);
  }
  std::array<Real, 2> reach{-range_.lowest, range_.highest};
  scheme_.of.domain->box().communicator().highest(reach);
  range_ = {-reach[0], reach[1]};
  const Real width = range_.highest - range_.lowest;
  if (!std::isfinite(width)) return;  // the guard will tell
  const bool inside = scanned_.lowest <= range_.lowest && range_.highest <= scanned_.highest;
  if (!inside || scanned_.highest - scanned_.lowest > 1.5 * width + 1e-300) {
    const Real margin = 0.1 * width + 1e-12 * std::max(std::abs(range_.lowest), std::abs(range_.highest));
    scanned_ = {range_.lowest - margin, range_.highest + margin};
    for (int a = 0; a < scheme_.grid.dimension(); ++a)
      turning_[a] = TurningPoints(*scheme_.law, scheme_.grid.direction(a), scanned_.lowest, scanned_.highest);
  }
  for (int a = 0; a < scheme_.grid.dimension(); ++a)
    largest_[a] =
        turning_[a].largest_speed(*scheme_.law, scheme_.grid.direction(a), range_.lowest, range_.highest);
}

EvaluatedAdvection::EvaluatedAdvection(const AdvectionScheme& scheme)
    : scheme_(scheme), velocities_(scheme.problem, *scheme.of.domain, scheme.closures) {
  const Grid& g = scheme_.grid;
  for (int a = 0; a < g.dimension(); ++a)
    if (!g.axis(a).periodic())
      for (const int side : {2 * a, 2 * a + 1})
        halo_[side].assign(static_cast<std::size_t>(3 * g.count() / g.size(a)), 0.0);
  for (const BoundaryClosure& closure : scheme_.closures)
    through_.emplace_back(static_cast<std::size_t>(closure.faces()), 0.0);
}

void EvaluatedAdvection::update(Real at, std::span<const Real> y, const Range* range, Real step,
                                const Conductances& conductances, const EvaluatedBoundaryClosures& closures) {
  conductances_ = &conductances;
  closures_ = &closures;
  const bool changed = velocities_.update(at);
  step_ = step;
  now_ = at;
  if (y.empty()) return;
  if (scheme_.law) see_range(y, range);
  if (scheme_.splits && !scheme_.law && (changed || centre_velocity_[0].empty())) find_centre_velocities(at);
  fill_halo(y);
  meet_boundaries(y);
}

void EvaluatedAdvection::bound(std::vector<DataBounds>& pieces) const {
  DataBounds& result = pieces.emplace_back(DataBounds::nothing());
  // Where a velocity compresses, what it carries piles up.
  result.known = result.known && (has_divergence_term() || !velocities_.compresses());
  result.steady = result.steady && !depends_on_time();
  for (const EvaluatedBoundaryClosure& boundary : *closures_) {
    const AdvectiveBoundary* end = boundary.section().boundary.advective_boundary();
    // What a law brings to a closed boundary piles up there.
    if (law() && !end) result.known = false;
    if (!end || end->backflow != AdvectiveBoundary::Backflow::value) continue;
    for (Index f = 0; f < boundary.faces(); ++f) {
      const Real value = end->value(boundary.face(f).place, now_);
      result.lowest = std::min(result.lowest, value);
      result.highest = std::max(result.highest, value);
    }
    result.steady = result.steady && !end->value.depends_on_time();
  }
}

Real EvaluatedAdvection::largest_speed(int axis) const {
  return scheme_.law ? largest_[axis] : velocities_.largest(axis);
}

std::array<Real, 3> EvaluatedAdvection::largest_speeds(const Range& values) const {
  std::array<Real, 3> result{0, 0, 0};
  for (int a = 0; scheme_.law && a < scheme_.grid.dimension(); ++a) {
    const int direction = scheme_.grid.direction(a);
    result[a] = TurningPoints(*scheme_.law, direction, values.lowest, values.highest)
                    .largest_speed(*scheme_.law, direction, values.lowest, values.highest);
  }
  return result;
}

std::array<Real, 3> EvaluatedAdvection::speeds(std::span<const Real> y, Index n) const {
  if (!scheme_.law) return velocities_.at(n);
  std::array<Real, 3> result{0, 0, 0};
  for (int a = 0; a < scheme_.grid.dimension(); ++a) {
    scheme_.law->speed(scheme_.grid.direction(a), {y.data() + n, 1}, {&result[a], 1});
    result[a] = std::abs(result[a]);
  }
  return result;
}

// At centres a velocity is its formula where there is one, and the mean of both faces elsewhere.
void EvaluatedAdvection::find_centre_velocities(Real at) {
  const Velocity& v = velocities_.velocity();
  const Index nx = scheme_.grid.size(0);
  Points line(nx);
  for (int a = 0; a < scheme_.grid.dimension(); ++a) {
    centre_velocity_[a].resize(static_cast<std::size_t>(scheme_.grid.count()));
    for (Index k = 0; k < scheme_.grid.size(2); ++k)
      for (Index j = 0; j < scheme_.grid.size(1); ++j) {
        Real* out = centre_velocity_[a].data() + scheme_.grid.number(0, j, k);
        if (!v.stream_function && v.instants.empty() && !v.divergence_free) {
          for (Index i = 0; i < nx; ++i) line.set(i, scheme_.grid.point(i, j, k));
          v.along[scheme_.grid.direction(a)].evaluate(line, at, {out, static_cast<std::size_t>(nx)});
          continue;
        }
        const Real* low = velocities_.row(a, j, k);
        const Real* high = a == 0 ? low + 1 : velocities_.row(a, j + (a == 1), k + (a == 2));
        for (Index i = 0; i < nx; ++i) out[i] = 0.5 * (low[i] + high[i]);
      }
  }
}

AdvectionTerm::AdvectionTerm(OfUnknown of, const Problem& problem,
                             std::shared_ptr<const LinearStorage> storage,
                             const std::vector<BoundaryClosure>& closures,
                             TermId<EvaluatedDiffusion> diffusion,
                             TermId<EvaluatedBoundaryClosures> conditions)
    : storage_(std::move(storage)),
      scheme_(std::make_unique<AdvectionScheme>(std::move(of), problem, *storage_, closures)),
      prototype_(*scheme_),
      diffusion_(diffusion),
      conditions_(conditions) {}

Needs AdvectionTerm::needs() const {
  Needs result = scheme_->of.needs(Parts::advection());
  result.halo = 3;
  result.linear = result.exact_matrix = scheme_->linear();
  // What limits slopes is left to the correction; the matrix knows nothing of it.
  result.same_matrix = !scheme_->law;
  result.steady_matrix = !prototype_.depends_on_time();
  result.symmetric = false;
  if (scheme_->flux->needs_step) result.on_step = "numerical flux '" + scheme_->flux->name + "'";
  return result;
}

void AdvectionTerm::declare(LedgerLines& lines) {
  if (scheme_->has_divergence_term)
    scheme_->divergence_line = lines.declare(
        {scheme_->of.prefix + "velocity divergence", LedgerLine::Kind::source, "", scheme_->of.number});
}

void AdvectionTerm::evaluate(const Instant& instant, const Evaluation& earlier,
                             std::shared_ptr<EvaluatedTerm>& evaluated) const {
  const Range range = instant.totals ? Range{instant.totals->lowest, instant.totals->highest} : Range{};
  renewed<EvaluatedAdvection>(evaluated, [&] { return std::make_shared<EvaluatedAdvection>(prototype_); })
      .update(instant.time, scheme_->of.in(instant.y), instant.totals ? &range : nullptr, instant.step,
              earlier.of(diffusion_).conductances(), earlier.of(conditions_));
}

std::unique_ptr<TermScratch> AdvectionTerm::scratch() const {
  return std::make_unique<AdvectionWorkspace>(scheme_->grid.size(0));
}

}  // namespace williwaw
