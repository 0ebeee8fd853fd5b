#include "verify/stability/law_limit.hpp"

#include <algorithm>
#include <cmath>

#include "verify/search.hpp"

namespace williwaw::verify {

namespace {

// Largest fraction of an unknown's capacity that a unit of speed along an axis carries away in a unit of
// time: area over capacity.
std::array<Real, 3> passing_of(const Discretization& balance, const AtTime& now) {
  const Grid& g = now.grid;
  std::array<Real, 3> result{0, 0, 0};
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance.outline().active(n)) continue;
    const auto at = g.position(n);
    for (int a = 0; a < g.dimension(); ++a) {
      const auto areas = now.advection.velocities().areas(a, at[1], at[2]);
      const auto above = now.advection.velocities().areas(a, at[1] + (a == 1), at[2] + (a == 2));
      const Index i = at[0];
      Real area = std::max(areas.factor * areas.values[i], above.factor * above.values[i + (a == 0)]);
      // Beside a boundary the face may be the boundary's: as large as the other, where nothing is cut.
      if (area == 0) area = now.conductances.volume(n) / g.axis(a).widths()[at[a]];
      result[a] = std::max(result[a], area / now.conductances.capacity(n));
    }
  }
  return result;
}

}  // namespace

LawLimit::LawLimit(const Discretization& balance, const Scheme& scheme, const AtTime& now, Place worst,
                   Real spread, Real radius)
    : advection_(now.advection),
      scheme_(scheme),
      worst_(std::move(worst)),
      spread_(spread),
      passing_(passing_of(balance, now)) {
  const ReconstructionKind& kind = advection_.reconstruction();
  if (kind.limited && advection_.flux().monotone && radius > 0) radius_ = radius, fraction_ = kind.courant;
  if (balance.outline().whole()) return;
  // Beside outlines there is less to hold what passes.
  for (std::size_t a = 0; a < worst_.axes.size(); ++a) worst_.axes[a].width = 1 / passing_[a];
}

Real LawLimit::positivity(const std::array<Real, 3>& speeds) const {
  Real advected = 0;
  for (std::size_t a = 0; a < worst_.axes.size(); ++a) advected += speeds[a] * passing_[a];
  if (radius_ == 0) return 0;
  const Real rate = advected / fraction_ + spread_;
  return rate > 0 ? radius_ / rate : std::numeric_limits<Real>::infinity();
}

bool LawLimit::allows(const Range& values, Real step) const {
  const auto speeds = advection_.largest_speeds(values);
  if (step <= positivity(speeds) * (1 + 1e-10)) return true;
  const Place place = with(speeds);
  if (!std::isfinite(place.rate)) return false;
  for (const Real fraction : {1.0, 0.5, 0.25})
    if (!holds(advection_, scheme_, place, fraction * step)) return false;
  return true;
}

Place LawLimit::with(const std::array<Real, 3>& speeds) const {
  Place place = worst_;
  place.rate = 0;
  for (std::size_t a = 0; a < place.axes.size(); ++a) {
    AxisAt& axis = place.axes[a];
    axis.speed = axis.largest = speeds[a];
    place.rate += axis.speed / axis.width + 4 * axis.diffusivity / (axis.width * axis.width);
  }
  return place;
}

Range stable_values(const LawLimit& limit, const Range& about, Real step) {
  const Real size = std::max({about.highest - about.lowest, std::abs(about.highest), std::abs(about.lowest)});
  const auto grown = [&](Real below, Real above) {
    return Range{about.lowest - below * size, about.highest + above * size};
  };
  const auto reach = [&](auto make) {
    const auto stable = [&](Real fraction) { return limit.allows(make(fraction), step); };
    return stable(0) ? largest_step(stable, 1e-9, 2.0, 1e30) : 0;
  };
  const Real below = reach([&](Real s) { return grown(s, 0); }),
             above = reach([&](Real s) { return grown(0, s); });
  if (std::isinf(below) && std::isinf(above)) return grown(below, above);
  const Real both = reach([&](Real s) { return grown(std::min(s, below), std::min(s, above)); });
  return grown(std::min(both, below), std::min(both, above));
}

}  // namespace williwaw::verify
