#include "verify/stability/advection_symbol.hpp"

#include <algorithm>
#include <cmath>

#include "verify/complex.hpp"
#include "verify/search.hpp"

namespace williwaw::verify {

Place place_at(const AtTime& now, Index n) {
  const EvaluatedAdvection& advection = now.advection;
  const Conductances& c = now.conductances;
  const Grid& g = now.grid;
  const Real storage = c.capacity(n) / c.volume(n);
  // Values travel; those of a law will come by everywhere, boundaries' included.
  auto speeds = advection.speeds(now.y, n);
  for (int a = 0; advection.law() && a < g.dimension(); ++a) speeds[a] = advection.largest_speed(a);
  const auto position = g.position(n);
  Place place;
  place.where = n;
  for (int a = 0; a < g.dimension(); ++a) {
    AxisAt axis;
    axis.width = g.axis(a).widths()[position[a]];
    axis.speed = speeds[a] / storage;
    axis.largest = advection.largest_speed(a) / storage;
    const Real before = c.conductance(n, a, false), after = c.conductance(n, a, true);
    axis.diffusivity = 0.5 *
                       (before == 0  ? 2 * after
                        : after == 0 ? 2 * before
                                     : before + after) *
                       axis.width * axis.width / c.capacity(n);
    // Between two closed faces nothing is conducted, but the medium is the same.
    if (before == 0 && after == 0 && !now.coefficients.empty())
      axis.diffusivity = now.coefficient(a, n) / storage;
    place.passed += axis.speed / axis.width;
    place.rate += axis.speed / axis.width + 4 * axis.diffusivity / (axis.width * axis.width);
    place.axes.push_back(axis);
  }
  return place;
}

std::pair<Complex, Complex> symbol(const EvaluatedAdvection& advection, const AxisAt& axis, Real step,
                                   Real angle) {
  const Complex wave = std::polar(1.0, angle), back = std::conj(wave);
  const Real h = axis.width;
  const auto [first, second] =
      advection.flux().weights(axis.speed, axis.diffusivity / h, axis.largest, step / h);
  const auto value = advection.reconstruction().symbol(angle);
  const Complex left(value[0], value[1]), right = wave * std::conj(left);
  return {-4 * axis.diffusivity * step / (h * h) * std::pow(std::sin(0.5 * angle), 2),
          -step / h * (first * left + second * right) * (1.0 - back)};
}

bool holds(const EvaluatedAdvection& advection, const Scheme& scheme, const Place& place, Real step) {
  const std::size_t dimension = place.axes.size();
  const int count = dimension == 1 ? 361 : dimension == 2 ? 49 : 17;
  std::vector<std::vector<std::pair<Complex, Complex>>> symbols(dimension);
  for (std::size_t a = 0; a < dimension; ++a)
    for (int n = 0; n < count; ++n) {
      // Both ways along all axes but the first, whose mirror image has the same modulus.
      const Real angle = a == 0 ? M_PI * n / (count - 1) : M_PI * (2.0 * n / (count - 1) - 1);
      symbols[a].push_back(symbol(advection, place.axes[a], step, angle));
    }
  for (int i = 0; i < count; ++i)
    for (int j = 0; j < (dimension > 1 ? count : 1); ++j)
      for (int k = 0; k < (dimension > 2 ? count : 1); ++k) {
        auto [spread, advected] = symbols[0][static_cast<std::size_t>(i)];
        if (dimension > 1) {
          spread += symbols[1][static_cast<std::size_t>(j)].first;
          advected += symbols[1][static_cast<std::size_t>(j)].second;
        }
        if (dimension > 2) {
          spread += symbols[2][static_cast<std::size_t>(k)].first;
          advected += symbols[2][static_cast<std::size_t>(k)].second;
        }
        if (std::abs(amplification_of_parts(scheme, spread, advected)) > 1 + 1e-10) return false;
      }
  return true;
}

Real limit_at(const EvaluatedAdvection& advection, const Scheme& scheme, const Place& place) {
  if (place.rate == 0) return std::numeric_limits<Real>::infinity();
  if (!std::isfinite(place.rate)) return 0;
  const auto stable = [&](Real step) { return holds(advection, scheme, place, step); };
  // Little diffusion allows for very short steps.
  Real first = 1e-3 / place.rate;
  while (first * place.rate > 1e-7 && !stable(first)) first *= 0.5;
  if (first * place.rate <= 1e-7) return 0;
  const Real limit = largest_step(stable, first, 1.15, 1e7);
  // Growth by the fourth power of a short step hides below rounding, but not from a long run.
  const auto [before, after] = advection.flux().weights(1, 0, 1, 0);
  const bool undamped = before == after;
  return undamped && limit * place.rate < 0.02 ? 0 : limit;
}

namespace {

// The place where `value` is largest among those that count, the first of equal ones; `most` where none is
// larger.
template <class Counts>
Place largest_of(const Discretization& balance, const AtTime& now, Real Place::*value, const Counts& counts,
                 Place most) {
  std::array<Place, parts_of_search> of_parts;
  search(balance, [&](std::size_t part, Index n) {
    if (!counts(n)) return;
    Place& largest = of_parts[part];
    if (const Place here = place_at(now, n); largest.axes.empty() || here.*value > largest.*value)
      largest = here;
  });
  for (const Place& here : of_parts)
    if (!here.axes.empty() && (most.axes.empty() || here.*value > most.*value)) most = here;
  return most;
}

}  // namespace

Place fastest_place(const Discretization& balance, const AtTime& now) {
  if (!now.advection.law()) return place_at(now, now.advection.velocities().fastest_at());
  return largest_of(balance, now, &Place::passed, [&](Index n) { return balance.outline().active(n); }, {});
}

Place worst_place(const Discretization& balance, const AtTime& now) {
  const EvaluatedAdvection& advection = now.advection;
  const Grid& g = balance.grid();
  const Place fastest = fastest_place(balance, now);
  const bool even = balance.outline().whole() && !advection.law() &&
                    !balance.problem().equation().advection->velocity.depends_on_place() &&
                    now.conductances.separable();
  bool uniform = even;
  for (int a = 0; a < g.dimension(); ++a) uniform = uniform && g.axis(a).is_uniform();
  if (uniform) return fastest;
  // Half volumes beside boundaries are the boundaries' affair.
  return largest_of(
      balance, now, &Place::rate,
      [&](Index n) { return balance.outline().active(n) && balance.outline().volume_fraction(n) >= 0.999; },
      fastest);
}

}  // namespace williwaw::verify
