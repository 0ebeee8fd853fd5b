// Limits and numbers of the advected quantity, by von Neumann's analysis at the place that is passed fastest.
#include <algorithm>
#include <array>
#include <cmath>

#include "verify/stability/law_limit.hpp"
#include "williwaw/verify/advection.hpp"

namespace williwaw::verify {

namespace {

std::vector<Real> times_of(const Discretization& balance, const EvaluatedAdvection& advection, Real from,
                           Real until) {
  const bool swings = advection.law() &&
                      std::ranges::any_of(balance.closures(), &BoundaryClosure::depends_on_time) &&
                      until > from;
  if (!advection.depends_on_time() && !swings) return {from};
  const Velocity& v = advection.velocities().velocity();
  std::vector<Real> times;
  if (!v.instants.empty()) {
    // Linear in between: the extremes are at instants.
    for (const Real t : v.instants)
      if (v.period > 0 || (t >= from && t <= until)) times.push_back(t);
    if (v.period > 0 || !times.empty()) return times;
  }
  for (int n = 0; n < 33; ++n) times.push_back(from + (until - from) * n / 32);
  return times;
}

// Rates at which unknowns give away what they hold, from the matrix that the balance states: with the
// limiter's fraction of the flow, and as they are.
struct Rates {
  Real euler = 0;        ///< a step of forward Euler up to its inverse makes no new extrema
  bool monotone = true;  ///< no neighbour counts with the wrong sign
  Real spread = 0;       ///< of what diffuses alone, the largest
  Real largest = 0;      ///< of any unknown
  Index largest_at = 0;
};

Rates rates_of(Discretization& balance, const State& y, Real at, Real limiter) {
  LinearSystem advection_system, spread_system;
  const Parts fluxes = Parts::fluxes();
  balance.linearise(y, at, 0, 1, Parts::advection(), advection_system);
  balance.linearise(y, at, 0, 1, fluxes, spread_system);
  const auto &advected = std::get<FaceSystem>(advection_system),
             &spread = std::get<FaceSystem>(spread_system);
  std::vector<char> fixed(advected.diagonal.size(), 0);
  for (const Index n : balance.prescribed()) fixed[n] = 1;
  for (const Index n : balance.inactive()) fixed[n] = 1;
  const auto conductances = balance.conductances(at);
  const Conductances& c = *conductances;
  Rates result;
  for (Index n = 0; n < advected.size(); ++n) {
    if (fixed[n]) continue;
    const Real capacity = c.capacity(n), size = std::abs(advected.diagonal[n]) + spread.diagonal[n];
    for (int a = 0; a < advected.dimension(); ++a)
      for (const auto* side : {&advected.lower[a], &advected.upper[a]}) {
        const auto& other = side == &advected.lower[a] ? spread.lower[a] : spread.upper[a];
        if ((*side)[n] + other[n] > 1e-12 * size) result.monotone = false;
      }
    result.euler = std::max(result.euler,
                            (std::max(advected.diagonal[n], 0.0) / limiter + spread.diagonal[n]) / capacity);
    result.spread = std::max(result.spread, spread.diagonal[n] / capacity);
    const Real rate = (advected.diagonal[n] + spread.diagonal[n]) / capacity;
    if (rate > result.largest) {
      result.largest = rate;
      result.largest_at = n;
    }
  }
  return result;
}

bool is_normal(const Discretization& balance, const EvaluatedAdvection& advection) {
  const Grid& g = balance.grid();
  if (!advection.linear() || advection.depends_on_time() || !balance.outline().whole()) return false;
  for (int a = 0; a < g.dimension(); ++a)
    if (!g.axis(a).periodic() || !g.axis(a).is_uniform()) return false;
  const Equation& e = balance.problem().equation();
  return !e.advection->velocity.depends_on_place() && !e.storage.depends_on_place() &&
         !balance.capabilities().reacts &&
         std::ranges::none_of(e.diffusion.coefficient, &Function::depends_on_place);
}

}  // namespace

namespace {

// Beside outlines there is less to hold what passes.
void widen_beside_outlines(const Discretization& balance, const EvaluatedAdvection& advection,
                           const Place& worst, const Rates& rates, Limit& limit) {
  Real inside = 0;
  for (const AxisAt& axis : worst.axes) {
    const auto [first, second] =
        advection.flux().weights(axis.speed, axis.diffusivity / axis.width, axis.largest, 0);
    inside += (first - second + 2 * axis.diffusivity / axis.width) / axis.width;
  }
  if (!balance.outline().whole() && rates.largest > inside && inside > 0 && !std::isinf(limit.step)) {
    limit.step *= inside / rates.largest;
    limit.where = rates.largest_at;
  }
}

struct WorstOfLaw {
  const Place& place;
  Real time, spread, radius;
};

// A law's limit is that of the fastest of all values that data allow, not of those at the start.
void judge_law(Discretization& balance, const Scheme& scheme, const WorstOfLaw& worst, Real step,
               Stability& result) {
  using enum Limit::Standing;
  const State y = balance.initial_state();
  const AtTime now(balance, y, worst.time, result.allowed);
  const LawLimit limit(balance, scheme, now, worst.place, worst.spread, worst.radius);
  const auto speeds = now.advection.largest_speeds(result.allowed->values);
  const Real positivity = now.advection.flux().needs_step ? 0 : limit.positivity(speeds);
  result.positivity = {positivity, bound, worst.place.where};
  result.interior = {limit.interior(speeds), heuristic, worst.place.where};
  // What makes no new extrema cannot grow, whatever its unlimited waves do.
  result.limit =
      positivity > 0 && positivity >= result.interior.step * (1 - 1e-6) ? result.positivity : result.interior;
  if (step > 0 && result.limit.step > 0)
    result.stable_for = stable_values(limit, result.allowed->values, step);
}

}  // namespace

Stability stability_of_advection(Discretization& balance, const Scheme& scheme, Real step, Real from,
                                 Real until) {
  using enum Limit::Standing;
  const State y = balance.initial_state();
  const auto evaluated = balance.advection(from, y);
  const EvaluatedAdvection& advection = *evaluated;
  if (advection.flux().needs_step &&
      !(scheme.is_runge_kutta() && scheme.tableau().stages() == 1 && is_explicit(scheme)))
    throw InputError(Subject::numerical_flux, "numerical flux '" + advection.flux().name +
                                                  "' depends on the step: it needs scheme explicit-euler");
  Stability result;
  result.step = step;
  result.stages = stages(scheme);
  const auto times = times_of(balance, advection, from, until);
  if (advection.law()) result.allowed = values_allowed(balance, y, from, until);
  Place worst;
  Real worst_time = from, passed = 0;
  for (const Real t : times) {
    const AtTime now(balance, y, t, result.allowed);
    passed = std::max(passed, fastest_place(balance, now).passed);
    if (const Place here = worst_place(balance, now); worst.axes.empty() || here.rate > worst.rate) {
      worst = here;
      worst_time = t;
    }
  }
  result.times = static_cast<int>(times.size());
  result.interior = {limit_at(advection, scheme, worst), heuristic, worst.where};
  const Real radius = balance.capabilities().data_change || !advection.linear()
                          ? monotonicity_radius_of_tableau(scheme)
                          : monotonicity_radius_of_function(scheme);
  const ReconstructionKind& kind = advection.reconstruction();
  const Rates rates = rates_of(balance, y, worst_time, kind.limited ? kind.courant : 1);
  const bool keeps = kind.limited && rates.monotone && !advection.flux().needs_step && radius > 0;
  result.positivity = {keeps ? radius / rates.euler : 0, bound, worst.where};
  if (std::holds_alternative<SemiLagrangianMethod>(scheme.method)) {
    // Values never leave those around the place where they are looked up, whatever the step.
    const Real none = std::numeric_limits<Real>::infinity();
    const Real euler = worst.axes.empty() || result.interior.step == none ? none : 0;
    result.limit = result.interior = {none, bound, worst.where};
    result.positivity = {
        balance.capabilities().semi_lagrangian && balance.semi_lagrangian().alone() ? none : euler, bound,
        worst.where};
  } else {
    result.limit = result.interior;
  }
  if (advection.law()) {
    judge_law(balance, scheme, {worst, worst_time, rates.spread, radius}, step, result);
  } else {
    widen_beside_outlines(balance, advection, worst, rates, result.limit);
    if (is_normal(balance, advection)) result.limit.standing = sharp;
    // What makes no new extrema cannot grow, whatever its unlimited waves do.
    if (result.positivity.step > result.limit.step * (1 + 1e-6)) result.limit = result.positivity;
  }
  result.courant_number = passed * step;
  for (const AxisAt& axis : worst.axes)
    result.diffusion_number += axis.diffusivity * step / (axis.width * axis.width);
  result.worst = worst.where;
  result.largest_eigenvalue = worst.rate;
  result.method = "by the symbol of the numerical flux";
  return result;
}

namespace {

// The largest cell Péclet number, unless one is larger already, the first of equal ones.
void find_peclet(const Discretization& balance, const AtTime& now, AdvectionNumbers& result) {
  struct Found {
    Real peclet = 0;
    Index at = 0;
  };
  std::array<Found, parts_of_search> of_parts;
  search(balance, [&](std::size_t part, Index n) {
    if (!balance.outline().active(n)) return;
    for (const AxisAt& axis : place_at(now, n).axes) {
      if (axis.speed == 0) continue;
      const Real number = axis.diffusivity > 0 ? axis.speed * axis.width / axis.diffusivity
                                               : std::numeric_limits<Real>::infinity();
      if (number > of_parts[part].peclet) of_parts[part] = {number, n};
    }
  });
  for (const Found& found : of_parts)
    if (found.peclet > result.peclet) {
      result.peclet = found.peclet;
      result.peclet_at = found.at;
    }
}

}  // namespace

AdvectionNumbers advection_numbers(Discretization& balance, const Scheme& scheme, Real step, Real from,
                                   Real until) {
  const State y = balance.initial_state();
  const auto evaluated = balance.advection(from, y);
  const EvaluatedAdvection& advection = *evaluated;
  const Grid& g = balance.grid();
  AdvectionNumbers result;
  Place fastest;
  std::optional<ValueRange> allowed;
  if (advection.law()) allowed = values_allowed(balance, y, from, until);
  std::vector<OutletBackflow> back(balance.closures().size());
  for (const Real t : times_of(balance, advection, from, until)) {
    const AtTime now(balance, y, t, allowed);
    const auto& velocities = now.advection.velocities();
    result.correction = velocities.correction();
    const Place here = fastest_place(balance, now);
    if (fastest.axes.empty() || here.passed > fastest.passed) {
      fastest = here;
      result.courant = here.passed * step;
      result.courant_at = here.where;
    }
    for (int a = 0; a < g.dimension(); ++a)
      result.speed[a] = std::max(result.speed[a], now.advection.largest_speed(a));
    result.compressing = std::max(result.compressing, velocities.compressing());
    result.expanding = std::max(result.expanding, velocities.expanding());
    result.compresses = result.compresses || velocities.compresses();
    result.against_boundaries = std::max(result.against_boundaries, velocities.against_boundaries());
    find_peclet(balance, now, result);
    for (std::size_t c = 0; c < back.size(); ++c) {
      const BoundaryClosure& boundary = balance.closures()[c];
      const AdvectiveBoundary* end = boundary.section().boundary.advective_boundary();
      if (!end || !end->outlet() || advection.law()) continue;
      back[c].boundary = boundary.section().name;
      back[c].bounded = end->backflow != AdvectiveBoundary::Backflow::inside;
      for (Index f = 0; f < boundary.faces(); ++f) {
        const Real in = velocities.inward(c, f) / boundary.area(f);
        if (in > back[c].largest + 1e-12 * velocities.fastest()) {
          back[c].largest = in;
          back[c].time = t;
        }
      }
    }
  }
  for (auto& b : back)
    if (b.largest > 0) result.backflow.push_back(b);
  for (std::size_t a = 0; a < fastest.axes.size(); ++a) {
    const AxisAt& axis = fastest.axes[a];
    result.diffusivity[a] = axis.diffusivity;
    if (axis.speed == 0) continue;
    // Long waves decay as exp(−D·k²·t); what more they lose is false.
    const Real angle = 0.02, square = angle * angle / (axis.width * axis.width);
    const Real length = step > 0 ? step : 1e-3 / fastest.rate;
    const auto [spread, advected] = symbol(advection, axis, length, angle);
    const Real damped = step > 0 ? -std::log(std::abs(amplification_of_parts(scheme, spread, advected)))
                                 : -(spread + advected).real();
    const Real extra = damped / (length * square) - axis.diffusivity;
    result.numerical_diffusion[a] = std::abs(extra) < 1e-3 * axis.speed * axis.width ? 0 : extra;
  }
  return result;
}

}  // namespace williwaw::verify
