#include "williwaw/terms/numerical_flux.hpp"

#include <algorithm>
#include <cmath>

#include "grid/named.hpp"
#include "terms/advection/fluxes/kinds.hpp"

namespace williwaw {

namespace {
// Between so many samples of the range each turn is looked for once.
constexpr std::size_t samples = 2048;
}  // namespace

TurningPoints::TurningPoints(const FluxLaw& law, int direction, Real lowest, Real highest) {
  std::vector<Real> u(samples + 1), a(samples + 1);
  for (std::size_t n = 0; n <= samples; ++n)
    u[n] = lowest + (highest - lowest) * static_cast<Real>(n) / static_cast<Real>(samples);
  law.speed(direction, u, a);
  const auto speed = [&](Real value) {
    Real out;
    law.speed(direction, {&value, 1}, {&out, 1});
    return out;
  };
  for (std::size_t n = 0; n <= samples; ++n) {
    finite_ = finite_ && std::isfinite(a[n]);
    if (n == 0) continue;
    if (n < samples && std::abs(a[n]) > std::abs(a[n - 1]) && std::abs(a[n]) >= std::abs(a[n + 1]))
      peaks_.emplace_back(u[n], std::abs(a[n]));
    const bool turns = a[n - 1] * a[n] < 0, touches = a[n] == 0 && n < samples;
    if (!turns && !touches) continue;
    Real low = u[n - 1], high = u[n];
    if (touches) {
      low = high;
    } else {
      for (int i = 0; i < 80; ++i) {
        const Real middle = 0.5 * (low + high);
        (speed(middle) * a[n - 1] > 0 ? low : high) = middle;
      }
    }
    places_.push_back(0.5 * (low + high));
  }
  fluxes_.resize(places_.size());
  law.flux(direction, places_, fluxes_);
}

Real TurningPoints::largest_speed(const FluxLaw& law, int direction, Real lowest, Real highest) const {
  const Real ends[] = {lowest, highest};
  Real speeds[2];
  law.speed(direction, ends, speeds);
  // Not a number: the law is not there for these values, and nothing bounds it.
  if (!std::isfinite(speeds[0]) || !std::isfinite(speeds[1]) || !finite_)
    return std::numeric_limits<Real>::infinity();
  Real most = std::max(std::abs(speeds[0]), std::abs(speeds[1]));
  for (const auto& [place, speed] : peaks_)
    if (lowest < place && place < highest) most = std::max(most, speed);
  return most;
}

const std::vector<NumericalFlux>& numerical_fluxes() {
  static const std::vector<NumericalFlux> all{
#define KIND(name) fluxes::name(),
#include "terms/advection/fluxes/list.inc"
#undef KIND
  };
  return all;
}

const NumericalFlux& numerical_flux(const std::string& name) {
  return named(numerical_fluxes(), name, Subject::numerical_flux, "numerical flux");
}

}  // namespace williwaw
