#include "williwaw/casefile/curve.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw::casefile {

Curve::Curve(std::string name, std::vector<Real> places, std::vector<Real> values, Measure argument,
             Measure result)
    : name_(std::move(name)),
      places_(std::move(places)),
      values_(std::move(values)),
      argument_(std::move(argument)),
      result_(std::move(result)) {
  const std::size_t count = places_.size();
  if (count < 2 || values_.size() != count) throw InputError("a curve needs two points at least");
  for (std::size_t i = 0; i < count; ++i) {
    if (!std::isfinite(places_[i]) || !std::isfinite(values_[i]))
      throw InputError("row " + std::to_string(i + 1) + " of a curve's table has no number");
    if (i > 0 && !(places_[i] > places_[i - 1]))
      throw InputError("the first column of a curve's table must increase, but row " + std::to_string(i + 1) +
                       " does not");
  }
  std::vector<Real> steps, rises;
  for (std::size_t i = 0; i + 1 < count; ++i) {
    steps.push_back(places_[i + 1] - places_[i]);
    rises.push_back((values_[i + 1] - values_[i]) / steps[i]);
  }
  slopes_.assign(count, 0.0);
  for (std::size_t i = 1; i + 1 < count; ++i) {
    if (rises[i - 1] * rises[i] <= 0) continue;
    // Weighted harmonic mean: it never exceeds three times the smaller rise.
    const Real first = 2 * steps[i] + steps[i - 1], second = steps[i] + 2 * steps[i - 1];
    slopes_[i] = (first + second) / (first / rises[i - 1] + second / rises[i]);
  }
  const auto at_end = [](Real h, Real next_h, Real rise, Real next_rise) {
    // Three points, kept within what the first interval allows.
    Real slope = ((2 * h + next_h) * rise - h * next_rise) / (h + next_h);
    if (slope * rise <= 0) return Real{0};
    if (rise * next_rise <= 0 && std::abs(slope) > 3 * std::abs(rise)) slope = 3 * rise;
    return slope;
  };
  if (count == 2) {
    slopes_[0] = slopes_[1] = rises[0];
  } else {
    slopes_.front() = at_end(steps[0], steps[1], rises[0], rises[1]);
    slopes_.back() = at_end(steps[count - 2], steps[count - 3], rises[count - 2], rises[count - 3]);
  }
}

Real Curve::at(Real place, int order) const {
  if (std::isnan(place)) return place;
  if (place <= places_.front() || place >= places_.back()) {
    if (order > 0) return 0;
    return place <= places_.front() ? values_.front() : values_.back();
  }
  const auto i = static_cast<std::size_t>(std::ranges::upper_bound(places_, place) - places_.begin()) - 1;
  const Real h = places_[i + 1] - places_[i], rise = (values_[i + 1] - values_[i]) / h,
             s = place - places_[i];
  const Real second = (3 * rise - 2 * slopes_[i] - slopes_[i + 1]) / h,
             third = (slopes_[i] + slopes_[i + 1] - 2 * rise) / (h * h);
  switch (order) {
    case 0:
      return values_[i] + s * (slopes_[i] + s * (second + s * third));
    case 1:
      return slopes_[i] + s * (2 * second + 3 * s * third);
    case 2:
      return 2 * second + 6 * s * third;
    case 3:
      return 6 * third;
    default:
      return 0;
  }
}

}  // namespace williwaw::casefile
