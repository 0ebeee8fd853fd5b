#include "advection_symbol.hpp"

#include <algorithm>
#include <cmath>

#include "complex.hpp"
#include "search.hpp"

namespace williwaw::verify {

Place place_at(const AtTime& now, Index n) {
  const EvaluatedAdvection& stream = now.stream;
  const Conductances& c = now.couplings;
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

std::pair<Complex, Complex> symbol(const EvaluatedAdvection& stream, const AxisAt& axis, Real step,
                                   Real angle) {
  const Complex wave = std::polar(1.0, angle), back = std::conj(wave);
  const Real h = axis.width;
  const auto [first, second] =
      stream.flux().weights(axis.speed, axis.diffusivity / h, axis.largest, step / h);
  const auto value = stream.reconstruction().symbol(angle);
  const Complex left(value[0], value[1]), right = wave * std::conj(left);
  return {-4 * axis.diffusivity * step / (h * h) * std::pow(std::sin(0.5 * angle), 2),
          -step / h * (first * left + second * right) * (1.0 - back)};
}

bool holds(const EvaluatedAdvection& stream, const Scheme& scheme, const Place& place, Real step) {
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

Real limit_at(const EvaluatedAdvection& stream, const Scheme& scheme, const Place& place) {
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

Place fastest_place(const Discretization& balance, const AtTime& now) {
  if (!now.stream.law()) return place_at(now, now.stream.velocities().fastest_at());
  Place most;
  for (Index n = 0; n < now.grid.count(); ++n)
    if (balance.outline().active(n))
      if (const Place here = place_at(now, n); most.axes.empty() || here.passed > most.passed) most = here;
  return most;
}

Place worst_place(const Discretization& balance, const AtTime& now) {
  const EvaluatedAdvection& stream = now.stream;
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

}  // namespace williwaw::verify
