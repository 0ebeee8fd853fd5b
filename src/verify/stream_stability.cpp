// Limits and numbers of what is carried along, by von Neumann's analysis at the place that is passed fastest.
#include <algorithm>
#include <cmath>
#include <complex>

#include "search.hpp"
#include "williwaw/verify/stream.hpp"

namespace williwaw::verify {

namespace {

using Complex = std::complex<Real>;

// One axis at one place.
struct AxisAt {
  Real speed = 0, diffusivity = 0, width = 1, largest = 0;
};

// Everything at one place and time.
struct Place {
  std::vector<AxisAt> axes;
  Real rate = 0;    ///< Σ speed/width + 4·diffusivity/width²
  Real passed = 0;  ///< Σ speed/width
  Index where = 0;
};

// What a balance says at one time, asked for once. The speeds of a law are the fastest of all values in
// `range`.
struct AtTime {
  const Transport& stream;
  const Couplings& couplings;
  const Grid& grid;
  const State& y;
  Real at;
  std::span<const Function> coefficients;  ///< of diffusion, along each axis
  AtTime(DiffusionBalance& balance, const State& state, Real time, const std::optional<ValueRange>& range)
      : stream(range ? *balance.transport(time, state, range->values) : *balance.transport(time, state)),
        couplings(balance.couplings(time)),
        grid(balance.grid()),
        y(state),
        at(time),
        coefficients(balance.problem().equation().diffusion.coefficient) {}
};

Place place_at(const AtTime& now, Index n) {
  const Transport& stream = now.stream;
  const Couplings& c = now.couplings;
  const Grid& g = now.grid;
  const Real storage = c.capacity(n) / c.volume(n);
  // Values travel; those of a law will come by everywhere, walls' included.
  auto speeds = stream.speeds(now.y, n);
  for (int a = 0; stream.law() && a < g.rank(); ++a) speeds[a] = stream.largest_speed(a);
  const auto position = g.position(n);
  Place place;
  place.where = n;
  for (int a = 0; a < g.rank(); ++a) {
    AxisAt axis;
    axis.width = g.axis(a).widths()[position[a]];
    axis.speed = speeds[a] / storage;
    axis.largest = stream.largest_speed(a) / storage;
    const Real before = c.conductance(n, a, false), after = c.conductance(n, a, true);
    axis.diffusivity = 0.5 *
                       (before == 0  ? 2 * after
                        : after == 0 ? 2 * before
                                     : before + after) *
                       axis.width * axis.width / c.capacity(n);
    // Between two closed faces nothing is conducted, but the medium is the same.
    if (before == 0 && after == 0 && !now.coefficients.empty())
      axis.diffusivity =
          now.coefficients[static_cast<std::size_t>(g.slot(a))](g.point_of(n), now.at) / storage;
    place.passed += axis.speed / axis.width;
    place.rate += axis.speed / axis.width + 4 * axis.diffusivity / (axis.width * axis.width);
    place.axes.push_back(axis);
  }
  return place;
}

std::vector<Real> times_of(const DiffusionBalance& balance, const Transport& stream, Real from, Real until) {
  const bool swings = stream.law() && balance.problem().walls_depend_on_time() && until > from;
  if (!stream.depends_on_time() && !swings) return {from};
  const Velocity& v = stream.velocities().velocity();
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

// step·eigenvalue of a wave along one axis: what diffuses, and what is carried.
std::pair<Complex, Complex> symbol(const Transport& stream, const AxisAt& axis, Real step, Real angle) {
  const Complex wave = std::polar(1.0, angle), back = std::conj(wave);
  const Real h = axis.width;
  const auto [first, second] =
      stream.flux().weights(axis.speed, axis.diffusivity / h, axis.largest, step / h);
  const auto value = stream.reconstruction().symbol(angle);
  const Complex left(value[0], value[1]), right = wave * std::conj(left);
  return {-4 * axis.diffusivity * step / (h * h) * std::pow(std::sin(0.5 * angle), 2),
          -step / h * (first * left + second * right) * (1.0 - back)};
}

bool holds(const Transport& stream, const Scheme& scheme, const Place& place, Real step) {
  const std::size_t rank = place.axes.size();
  const int count = rank == 1 ? 361 : rank == 2 ? 49 : 17;
  std::vector<std::vector<std::pair<Complex, Complex>>> symbols(rank);
  for (std::size_t a = 0; a < rank; ++a)
    for (int n = 0; n < count; ++n) {
      // Both ways along all axes but the first, whose mirror image has the same modulus.
      const Real angle = a == 0 ? M_PI * n / (count - 1) : M_PI * (2.0 * n / (count - 1) - 1);
      symbols[a].push_back(symbol(stream, place.axes[a], step, angle));
    }
  for (int i = 0; i < count; ++i)
    for (int j = 0; j < (rank > 1 ? count : 1); ++j)
      for (int k = 0; k < (rank > 2 ? count : 1); ++k) {
        auto [spread, carried] = symbols[0][static_cast<std::size_t>(i)];
        if (rank > 1) {
          spread += symbols[1][static_cast<std::size_t>(j)].first;
          carried += symbols[1][static_cast<std::size_t>(j)].second;
        }
        if (rank > 2) {
          spread += symbols[2][static_cast<std::size_t>(k)].first;
          carried += symbols[2][static_cast<std::size_t>(k)].second;
        }
        if (std::abs(amplification_of_parts(scheme, spread, carried)) > 1 + 1e-10) return false;
      }
  return true;
}

// The largest step for which nothing grows; 0 where some wave does however short the step, and where speeds
// are unbounded.
Real limit_at(const Transport& stream, const Scheme& scheme, const Place& place) {
  if (place.rate == 0) return std::numeric_limits<Real>::infinity();
  if (!std::isfinite(place.rate)) return 0;
  const auto stable = [&](Real step) { return holds(stream, scheme, place, step); };
  // Little diffusion allows for very short steps.
  Real first = 1e-3 / place.rate;
  while (first * place.rate > 1e-7 && !stable(first)) first *= 0.5;
  if (first * place.rate <= 1e-7) return 0;
  const Real limit = largest_step(stable, first, 1.15, 1e7);
  // Growth by the fourth power of a short step hides below rounding, but not from a long run.
  const auto [before, after] = stream.flux().weights(1, 0, 1, 0);
  const bool undamped = before == after;
  return undamped && limit * place.rate < 0.02 ? 0 : limit;
}

// Rates at which unknowns give away what they hold, from the matrix that the balance states: with the
// limiter's share of the stream, and as they are.
struct Rates {
  Real euler = 0;        ///< a step of forward Euler up to its inverse makes no new extrema
  bool monotone = true;  ///< no neighbour counts with the wrong sign
  Real spread = 0;       ///< of what diffuses alone, the largest
  Real largest = 0;      ///< of any unknown
  Index largest_at = 0;
};

Rates rates_of(DiffusionBalance& balance, const State& y, Real at, Real limiter) {
  LinearSystem stream_system, spread_system;
  const Parts fluxes = Parts::flux(0) | Parts::flux(1) | Parts::flux(2);
  balance.linearise(y, at, 0, 1, Parts::stream(), stream_system);
  balance.linearise(y, at, 0, 1, fluxes, spread_system);
  const auto &carried = std::get<FaceSystem>(stream_system), &spread = std::get<FaceSystem>(spread_system);
  std::vector<char> fixed(carried.diagonal.size(), 0);
  for (const Index n : balance.held()) fixed[n] = 1;
  for (const Index n : balance.absent()) fixed[n] = 1;
  const Couplings& c = balance.couplings(at);
  Rates result;
  for (Index n = 0; n < carried.size(); ++n) {
    if (fixed[n]) continue;
    const Real capacity = c.capacity(n), size = std::abs(carried.diagonal[n]) + spread.diagonal[n];
    for (int a = 0; a < carried.rank(); ++a)
      for (const auto* side : {&carried.lower[a], &carried.upper[a]}) {
        const auto& other = side == &carried.lower[a] ? spread.lower[a] : spread.upper[a];
        if ((*side)[n] + other[n] > 1e-12 * size) result.monotone = false;
      }
    result.euler = std::max(result.euler,
                            (std::max(carried.diagonal[n], 0.0) / limiter + spread.diagonal[n]) / capacity);
    result.spread = std::max(result.spread, spread.diagonal[n] / capacity);
    const Real rate = (carried.diagonal[n] + spread.diagonal[n]) / capacity;
    if (rate > result.largest) {
      result.largest = rate;
      result.largest_at = n;
    }
  }
  return result;
}

// Largest share of an unknown's capacity that a unit of speed along an axis carries away in a unit of time:
// area over capacity.
std::array<Real, 3> passing_of(const DiffusionBalance& balance, const AtTime& now) {
  const Grid& g = now.grid;
  std::array<Real, 3> result{0, 0, 0};
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance.outline().active(n)) continue;
    const auto at = g.position(n);
    for (int a = 0; a < g.rank(); ++a) {
      const auto areas = now.stream.velocities().areas(a, at[1], at[2]);
      const auto above = now.stream.velocities().areas(a, at[1] + (a == 1), at[2] + (a == 2));
      const Index i = at[0];
      Real area = std::max(areas.factor * areas.values[i], above.factor * above.values[i + (a == 0)]);
      // Beside a boundary the face may be the boundary's: as large as the other, where nothing is cut.
      if (area == 0) area = now.couplings.volume(n) / g.axis(a).widths()[at[a]];
      result[a] = std::max(result[a], area / now.couplings.capacity(n));
    }
  }
  return result;
}

// The limit of a step of a law over a range of values, from one worst place: monotone schemes keep to the
// range, others are judged by their symbol.
class LawLimit {
 public:
  LawLimit(DiffusionBalance& balance, const Scheme& scheme, const AtTime& now, Place worst, Real spread,
           Real radius)
      : stream_(now.stream),
        scheme_(scheme),
        worst_(std::move(worst)),
        spread_(spread),
        passing_(passing_of(balance, now)) {
    const ReconstructionKind& kind = stream_.reconstruction();
    if (kind.limited && stream_.flux().monotone && radius > 0) radius_ = radius, share_ = kind.courant;
    if (balance.outline().whole()) return;
    // Beside outlines there is less to hold what passes.
    for (std::size_t a = 0; a < worst_.axes.size(); ++a) worst_.axes[a].width = 1 / passing_[a];
  }

  Real positivity(const std::array<Real, 3>& speeds) const {
    Real carried = 0;
    for (std::size_t a = 0; a < worst_.axes.size(); ++a) carried += speeds[a] * passing_[a];
    if (radius_ == 0) return 0;
    const Real rate = carried / share_ + spread_;
    return rate > 0 ? radius_ / rate : std::numeric_limits<Real>::infinity();
  }

  Real interior(const std::array<Real, 3>& speeds) const { return limit_at(stream_, scheme_, with(speeds)); }

  /// Whether a step is within the limit for values in this range; costs no search.
  bool allows(const Range& values, Real step) const {
    const auto speeds = stream_.largest_speeds(values);
    if (step <= positivity(speeds) * (1 + 1e-10)) return true;
    const Place place = with(speeds);
    if (!std::isfinite(place.rate)) return false;
    for (const Real share : {1.0, 0.5, 0.25})
      if (!holds(stream_, scheme_, place, share * step)) return false;
    return true;
  }

 private:
  Place with(const std::array<Real, 3>& speeds) const {
    Place place = worst_;
    place.rate = 0;
    for (std::size_t a = 0; a < place.axes.size(); ++a) {
      AxisAt& axis = place.axes[a];
      axis.speed = axis.largest = speeds[a];
      place.rate += axis.speed / axis.width + 4 * axis.diffusivity / (axis.width * axis.width);
    }
    return place;
  }

  const Transport& stream_;
  const Scheme& scheme_;
  Place worst_;
  Real spread_, radius_ = 0, share_ = 1;
  std::array<Real, 3> passing_;
};

// The widest values around `about` for which the step is within its limit; each end alone, then both.
Range stable_values(const LawLimit& limit, const Range& about, Real step) {
  const Real size = std::max({about.highest - about.lowest, std::abs(about.highest), std::abs(about.lowest)});
  const auto grown = [&](Real below, Real above) {
    return Range{about.lowest - below * size, about.highest + above * size};
  };
  const auto reach = [&](auto make) {
    const auto stable = [&](Real share) { return limit.allows(make(share), step); };
    return stable(0) ? largest_step(stable, 1e-9, 2.0, 1e30) : 0;
  };
  const Real below = reach([&](Real s) { return grown(s, 0); }),
             above = reach([&](Real s) { return grown(0, s); });
  if (std::isinf(below) && std::isinf(above)) return grown(below, above);
  const Real both = reach([&](Real s) { return grown(std::min(s, below), std::min(s, above)); });
  return grown(std::min(both, below), std::min(both, above));
}

bool is_normal(const DiffusionBalance& balance, const Transport& stream) {
  const Grid& g = balance.grid();
  if (!stream.linear() || stream.depends_on_time() || !balance.outline().whole()) return false;
  for (int a = 0; a < g.rank(); ++a)
    if (!g.axis(a).periodic() || !g.axis(a).is_uniform()) return false;
  const Equation& e = balance.problem().equation();
  return !e.stream->velocity.depends_on_place() && !e.storage.depends_on_place() && !e.reaction &&
         std::ranges::none_of(e.diffusion.coefficient, &Function::depends_on_place);
}

// Where most is passed in a unit of time; every value of a law's range may come by everywhere.
Place fastest_place(const DiffusionBalance& balance, const AtTime& now) {
  if (!now.stream.law()) return place_at(now, now.stream.fastest(now.y).second);
  Place most;
  for (Index n = 0; n < now.grid.count(); ++n)
    if (balance.outline().active(n))
      if (const Place here = place_at(now, n); most.axes.empty() || here.passed > most.passed) most = here;
  return most;
}

// Places that may decide: where the stream is fastest, and where most is exchanged in all.
Place worst_place(const DiffusionBalance& balance, const AtTime& now) {
  const Transport& stream = now.stream;
  const Grid& g = balance.grid();
  Place worst = fastest_place(balance, now);
  const bool even = balance.outline().whole() && !stream.law() &&
                    !balance.problem().equation().stream->velocity.depends_on_place() &&
                    now.couplings.separable();
  bool uniform = even;
  for (int a = 0; a < g.rank(); ++a) uniform = uniform && g.axis(a).is_uniform();
  if (uniform) return worst;
  // Half volumes beside walls are the walls' affair.
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance.outline().active(n) || (balance.outline().share(n) < 0.999)) continue;
    const Place here = place_at(now, n);
    if (here.rate > worst.rate) worst = here;
  }
  return worst;
}

}  // namespace

namespace {

// Beside outlines there is less to hold what passes.
void widen_beside_outlines(const DiffusionBalance& balance, const Transport& stream, const Place& worst,
                           const Rates& rates, Limit& limit) {
  Real inside = 0;
  for (const AxisAt& axis : worst.axes) {
    const auto [first, second] =
        stream.flux().weights(axis.speed, axis.diffusivity / axis.width, axis.largest, 0);
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
void judge_law(DiffusionBalance& balance, const Scheme& scheme, const WorstOfLaw& worst, Real step,
               Stability& result) {
  using enum Limit::Standing;
  const State y = balance.initial_state();
  const AtTime now(balance, y, worst.time, result.allowed);
  const LawLimit limit(balance, scheme, now, worst.place, worst.spread, worst.radius);
  const auto speeds = now.stream.largest_speeds(result.allowed->values);
  const Real positivity = now.stream.flux().needs_step ? 0 : limit.positivity(speeds);
  result.positivity = {positivity, bound, worst.place.where};
  result.interior = {limit.interior(speeds), heuristic, worst.place.where};
  // What makes no new extrema cannot grow, whatever its unlimited waves would do.
  result.limit =
      positivity > 0 && positivity >= result.interior.step * (1 - 1e-6) ? result.positivity : result.interior;
  if (step > 0 && result.limit.step > 0)
    result.stable_for = stable_values(limit, result.allowed->values, step);
  balance.transport(worst.time, y);
}

}  // namespace

Stability stability_of_stream(DiffusionBalance& balance, const Scheme& scheme, Real step, Real from,
                              Real until) {
  using enum Limit::Standing;
  const State y = balance.initial_state();
  const Transport& stream = *balance.transport(from, y);
  if (stream.flux().needs_step &&
      !(scheme.is_runge_kutta() && scheme.tableau().stages() == 1 && is_explicit(scheme)))
    throw InputError(
        "numerical flux '" + stream.flux().name +
        "' knows the length of the step and is of second order as it is: it goes with scheme explicit-euler");
  Stability result;
  result.step = step;
  result.stages = stages(scheme);
  const auto times = times_of(balance, stream, from, until);
  if (stream.law()) result.allowed = values_allowed(balance, y, from, until);
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
  balance.transport(from, y);
  result.interior = {limit_at(stream, scheme, worst), heuristic, worst.where};
  const Real radius = balance.problem().data_change_in_time() || !stream.linear()
                          ? monotonicity_radius_of_tableau(scheme)
                          : monotonicity_radius_of_function(scheme);
  const ReconstructionKind& kind = stream.reconstruction();
  const Rates rates = rates_of(balance, y, worst_time, kind.limited ? kind.courant : 1);
  const bool keeps = kind.limited && rates.monotone && !stream.flux().needs_step && radius > 0;
  result.positivity = {keeps ? radius / rates.euler : 0, bound, worst.where};
  if (std::holds_alternative<LookingBack>(scheme.method)) {
    // Values never leave those around the place where they are looked up, whatever the step.
    const Real none = std::numeric_limits<Real>::infinity();
    const Real euler = worst.axes.empty() || result.interior.step == none ? none : 0;
    result.limit = result.interior = {none, bound, worst.where};
    result.positivity = {balance.carrier() && balance.carrier()->alone() ? none : euler, bound, worst.where};
  } else {
    result.limit = result.interior;
  }
  if (stream.law()) {
    judge_law(balance, scheme, {worst, worst_time, rates.spread, radius}, step, result);
  } else {
    widen_beside_outlines(balance, stream, worst, rates, result.limit);
    if (is_normal(balance, stream)) result.limit.standing = sharp;
    // What makes no new extrema cannot grow, whatever its unlimited waves would do.
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

StreamNumbers stream_numbers(DiffusionBalance& balance, const Scheme& scheme, Real step, Real from,
                             Real until) {
  const State y = balance.initial_state();
  const Transport& stream = *balance.transport(from, y);
  const Grid& g = balance.grid();
  StreamNumbers result;
  Place fastest;
  std::optional<ValueRange> allowed;
  if (stream.law()) allowed = values_allowed(balance, y, from, until);
  std::vector<TurningBack> back(balance.closures().size());
  for (const Real t : times_of(balance, stream, from, until)) {
    const AtTime now(balance, y, t, allowed);
    const auto& velocities = stream.velocities();
    const Place here = fastest_place(balance, now);
    if (fastest.axes.empty() || here.passed > fastest.passed) {
      fastest = here;
      result.courant = here.passed * step;
      result.courant_at = here.where;
    }
    for (int a = 0; a < g.rank(); ++a) result.speed[a] = std::max(result.speed[a], stream.largest_speed(a));
    result.compressing = std::max(result.compressing, velocities.compressing());
    result.expanding = std::max(result.expanding, velocities.expanding());
    result.compresses = result.compresses || velocities.compresses();
    result.against_walls = std::max(result.against_walls, velocities.against_walls());
    for (Index n = 0; n < g.count(); ++n) {
      if (!balance.outline().active(n)) continue;
      for (const AxisAt& axis : place_at(now, n).axes) {
        if (axis.speed == 0) continue;
        const Real number = axis.diffusivity > 0 ? axis.speed * axis.width / axis.diffusivity
                                                 : std::numeric_limits<Real>::infinity();
        if (number > result.peclet) {
          result.peclet = number;
          result.peclet_at = n;
        }
      }
    }
    for (std::size_t c = 0; c < back.size(); ++c) {
      const Closure& wall = balance.closures()[c];
      const StreamEnd* end = wall.section().wall.stream_end();
      if (!end || !end->outlet() || stream.law()) continue;
      back[c].wall = wall.section().name;
      back[c].bounded = end->returning != StreamEnd::Returning::inside;
      for (Index f = 0; f < wall.faces(); ++f) {
        const Real in = velocities.inward(c, f) / wall.area(f);
        if (in > back[c].largest + 1e-12 * velocities.fastest()) {
          back[c].largest = in;
          back[c].time = t;
        }
      }
    }
  }
  for (auto& b : back)
    if (b.largest > 0) result.turning_back.push_back(b);
  result.correction = stream.velocities().correction();
  balance.transport(from, y);
  for (std::size_t a = 0; a < fastest.axes.size(); ++a) {
    const AxisAt& axis = fastest.axes[a];
    result.diffusivity[a] = axis.diffusivity;
    if (axis.speed == 0) continue;
    // Long waves decay as exp(−D·k²·t); what more they lose is false.
    const Real angle = 0.02, square = angle * angle / (axis.width * axis.width);
    const Real length = step > 0 ? step : 1e-3 / fastest.rate;
    const auto [spread, carried] = symbol(stream, axis, length, angle);
    const Real damped = step > 0 ? -std::log(std::abs(amplification_of_parts(scheme, spread, carried)))
                                 : -(spread + carried).real();
    const Real extra = damped / (length * square) - axis.diffusivity;
    result.false_diffusion[a] = std::abs(extra) < 1e-3 * axis.speed * axis.width ? 0 : extra;
  }
  return result;
}

}  // namespace williwaw::verify
