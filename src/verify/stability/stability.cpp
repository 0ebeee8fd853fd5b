#include "williwaw/verify/stability.hpp"

#include <algorithm>
#include <cmath>

#include "verify/search.hpp"
#include "verify/stability/nonlinear_stability.hpp"
#include "verify/stability/spectrum.hpp"
#include "williwaw/grid/expect.hpp"
#include "williwaw/verify/advection.hpp"

namespace williwaw::verify {

namespace {

// The worst of several times.
void merge(Spectrum& worst, const Spectrum& now) {
  if (now.largest > worst.largest) {
    worst.largest = now.largest;
    worst.surely = now.surely;
    worst.method = now.method;
    worst.exact = now.exact;
  }
  if (now.smallest && worst.smallest) worst.smallest = std::min(*now.smallest, *worst.smallest);
  if (now.interior > worst.interior) {
    worst.interior = now.interior;
    worst.interior_at = now.interior_at;
  }
  if (now.diagonal > worst.diagonal) {
    worst.diagonal = now.diagonal;
    worst.diagonal_at = now.diagonal_at;
  }
}

Spectrum over_times(Discretization& balance, Parts parts, Real from, Real until, int times) {
  Spectrum worst;
  for (int n = 0; n < times; ++n) {
    const Spectrum now = spectrum(balance, times > 1 ? from + (until - from) * n / (times - 1) : from, parts);
    if (n == 0) worst = now;
    merge(worst, now);
  }
  return worst;
}

// Where sources are explicit and fluxes implicit, both together decide: the largest step for which no pair of
// a flux eigenvalue in [0, fluxes] and a slope of the reaction grows faster than the reaction itself does.
Real limit_of_pair(const Scheme& scheme, Real fluxes, std::pair<Real, Real> slopes) {
  if (slopes.first >= 0) return std::numeric_limits<Real>::infinity();
  const auto holds = [&](Real step) {
    for (const Real slope : {slopes.first, std::min(slopes.second, 0.0)})
      for (int n = 0; n <= 120; ++n) {
        const Real z[] = {-step * fluxes * (n == 0 ? 0 : std::pow(10, -6 + 6.0 * n / 120))};
        if (std::abs(amplification(scheme, z, step * slope)) > 1 + 1e-10) return false;
      }
    return true;
  };
  return largest_step(holds, 1e-3 / -slopes.first, 1.1, 1e12);
}

// Smallest and largest slope of the reaction over all unknowns, about the initial values.
std::pair<Real, Real> slopes_of_reaction(Discretization& balance, Real at) {
  LinearSystem system;
  balance.linearise(balance.initial_state(), at, 0, 1, Parts::source(), system);
  const auto& diagonal = std::get<FaceSystem>(system).diagonal;
  const auto conductances = balance.conductances(at);
  const Conductances& c = *conductances;
  std::pair<Real, Real> range{0, 0};
  for (Index n = 0; n < static_cast<Index>(diagonal.size()); ++n) {
    if (!balance.outline().active(n)) continue;
    const Real slope = -diagonal[n] / c.capacity(n);
    range = {std::min(range.first, slope), std::max(range.second, slope)};
  }
  return range;
}

// What the scheme makes of the spectrum.
void set_limit(Discretization& balance, const Scheme& scheme, const Spectrum& worst, Real from, Real until,
               Stability& result) {
  using enum Limit::Standing;
  const Real interval = real_stability_interval(scheme);
  result.limit = {interval / worst.largest, worst.exact ? sharp : bound, std::nullopt};
  if (worst.surely && !worst.exact && !std::isinf(interval)) {
    result.limit.standing = bracketed;
    result.limit.unstable_from = interval / *worst.surely;
  }
  const bool reacts = balance.capabilities().reacts;
  if (std::holds_alternative<ImplicitExplicit>(scheme.method) && reacts) {
    const Parts fluxes = Parts::fluxes();
    const Spectrum apart = over_times(balance, fluxes, from, until, result.times);
    result.limit = {limit_of_pair(scheme, apart.largest, slopes_of_reaction(balance, from)), bound,
                    std::nullopt};
  } else if (std::holds_alternative<Factored>(scheme.method) && balance.grid().dimension() == 3 &&
             !balance.axis_operators(from)) {
    // Known for operators that commute; nothing sharp is known for others in three dimensions.
    result.limit.standing = heuristic;
  }
}

// Least and most that damping, boundaries and layers take of the motion of an unknown, for each unit of what
// is stored.
std::pair<Real, Real> damping_range(Discretization& balance, Real at) {
  const auto damping = balance.dynamics().damping(at);
  if (damping.empty()) return {0, 0};
  const auto conductances = balance.conductances(at);
  const Conductances& c = *conductances;
  std::vector<char> prescribed(damping.size(), 0);
  for (const Index h : balance.prescribed()) prescribed[static_cast<std::size_t>(h)] = 1;
  std::pair<Real, Real> range{std::numeric_limits<Real>::infinity(), 0};
  for (std::size_t n = 0; n < damping.size(); ++n) {
    if (prescribed[n] || !balance.outline().active(static_cast<Index>(n))) continue;
    const Real d = damping[n] / c.capacity(static_cast<Index>(n));
    range = {std::min(range.first, d), std::max(range.second, d)};
  }
  return {std::min(range.first, range.second), range.second};
}

// Largest step for which no mode from `smallest` to `largest` grows. Central differences are stable up to the
// same step whatever the damping is; for a pair of first order it must hold for every damping of the range:
// with u of a mode normalized, its roots are those of λ² + (u, D·u)·λ + (u, K·u), and (u, D·u) lies between
// the extremes of D.
Real wave_limit(const Scheme& scheme, Real smallest, Real largest, std::pair<Real, Real> damping) {
  const Real undamped = std::sqrt(wave_stability_interval(scheme) / largest);
  if (is_second_order(scheme) || damping.second == 0) return undamped;
  // A growth that any step has would be lost in the rounding of short ones.
  if (damping.first == 0 && undamped == 0) return 0;
  const Real from = std::max(smallest, 1e-8 * largest);
  const bool varies = damping.first < damping.second;
  const int values = varies ? 100 : 400, dampings = varies ? 12 : 0;
  const auto holds = [&](Real step) {
    for (int m = 0; m <= dampings; ++m) {
      const Real d = damping.first + (damping.second - damping.first) * m / std::max(1, dampings);
      for (int n = 0; n <= values; ++n) {
        const Real value = from * std::pow(largest / from, static_cast<Real>(n) / values);
        for (const auto& root : wave_amplification(scheme, value * step * step, d * step))
          if (std::abs(root) > 1 + 1e-12) return false;
      }
    }
    return true;
  };
  const Real limit = largest_step(holds, 1e-6 / std::sqrt(largest), 1.05, 1e15);
  return damping.first == 0 ? std::min(limit, undamped) : limit;
}

Stability stability_of_wave(Discretization& balance, const Scheme& scheme, Real step, Real from) {
  using enum Limit::Standing;
  const Spectrum found = spectrum(balance, from, Parts::all());
  const auto damping = damping_range(balance, from);
  const bool uniform = damping.second - damping.first <= 1e-12 * damping.second;
  const auto limit_of = [&](Real largest) {
    return wave_limit(scheme, found.smallest.value_or(1e-8 * largest), largest, damping);
  };
  Stability result;
  result.wave = true;
  result.step = step;
  result.stages = stages(scheme);
  result.largest_eigenvalue = found.largest;
  result.smallest_eigenvalue = found.smallest;
  result.method = found.method;
  result.limit = {limit_of(found.largest),
                  found.exact && (is_second_order(scheme) || uniform) ? sharp : bound, std::nullopt};
  if (found.surely && !found.exact && !std::isinf(result.limit.step)) {
    result.limit.standing = bracketed;
    result.limit.unstable_from = limit_of(*found.surely);
  }
  if (balance.dynamics().needs_leapfrog() && result.limit.standing == sharp) result.limit.standing = bound;
  result.interior = {limit_of(found.interior), heuristic, found.interior_at};
  // The symbol at the shortest wave is 4·Σ speed²/h².
  result.courant_number = 0.5 * std::sqrt(found.interior) * step;
  result.worst = found.interior_at;
  return result;
}

}  // namespace

Stability stability(Discretization& balance, const Scheme& scheme, Real step, Real from, Real until) {
  expect(step >= 0, "stability: a step not below zero");
  if (balance.capabilities().second_order) {
    if (!takes_second_order(scheme))
      throw InputError(Subject::scheme,
                       "scheme '" + scheme.name + "' does not march equations of second order in time");
    if (balance.capabilities().first_order_form && !is_second_order(scheme))
      return stability_of_system(balance, scheme, step);
    return stability_of_wave(balance, scheme, step, from);
  }
  if (is_second_order(scheme))
    throw InputError(Subject::scheme,
                     "scheme '" + scheme.name + "' marches equations of second order in time only");
  if (balance.unknowns().size() > 1 || balance.reaction() || balance.flux())
    return stability_of_coupled(balance, scheme, step, from);
  if (varies_with_unknown(balance.problem()))
    return stability_of_nonlinear(balance, scheme, step, from, until);
  if (balance.advects()) return stability_of_advection(balance, scheme, step, from, until);
  Stability result;
  result.step = step;
  const bool changes = !balance.capabilities().steady_matrix && until > from;
  result.times = changes ? 33 : 1;
  const Spectrum worst = over_times(balance, Parts::all(), from, until, result.times);
  const Real interval = real_stability_interval(scheme);
  // Data that change in time enter between the stages, where only the tableau's own radius protects.
  const Real radius = balance.capabilities().data_change ? monotonicity_radius_of_tableau(scheme)
                                                         : monotonicity_radius_of_function(scheme);
  result.stages = stages(scheme, worst.largest * step);
  result.largest_eigenvalue = worst.largest;
  result.smallest_eigenvalue = worst.smallest;
  result.method = worst.method;
  using enum Limit::Standing;
  set_limit(balance, scheme, worst, from, until, result);
  result.interior = {interval / worst.interior, heuristic, worst.interior_at};
  result.positivity = {radius / worst.diagonal, bound, worst.diagonal_at};
  result.diffusion_number = worst.interior * step / 4;
  result.worst = worst.interior_at;
  return result;
}

Stability stability(const Problem& problem, const Scheme& scheme, Real step, Real from, Real until) {
  return stability(*make_balance(problem, {0, semi_lagrangian(scheme)}), scheme, step, from, until);
}

}  // namespace williwaw::verify
