// What of a run is shown where all of it would make a page too large.
#include <cmath>

#include "parts.hpp"

namespace williwaw::plot {

namespace {

constexpr Index fewest_records = 100;
// An axis is not thinned below so many places.
constexpr Index fewest_places = 16;

// Every `stride`-th of the places along an axis: of cells the middle one of those that it stands for, of
// nodes those at both ends too.
void thin(const Axis& axis, Index stride, std::vector<Index>& places, std::vector<Real>& bounds) {
  places.clear();
  const Index count = axis.size();
  stride = std::clamp<Index>(count / fewest_places, 1, stride);
  if (axis.unknowns() == Unknowns::cells) {
    bounds.assign(1, axis.from());
    for (Index first = 0; first < count; first += stride) {
      const Index end = std::min(first + stride, count);
      places.push_back(first + (end - first - 1) / 2);
      bounds.push_back(axis.faces()[end]);
    }
    return;
  }
  for (Index n = 0; n < count; n += stride) places.push_back(n);
  if (places.back() != count - 1) places.push_back(count - 1);
  bounds.assign(1, axis.from());
  for (std::size_t n = 0; n + 1 < places.size(); ++n)
    bounds.push_back(0.5 * (axis.points()[places[n]] + axis.points()[places[n + 1]]));
  bounds.push_back(axis.to());
}

}  // namespace

std::uintmax_t Shared::values() const {
  std::uintmax_t result = 1;
  for (const auto& along : places) result *= std::max<std::size_t>(along.size(), 1);
  return result;
}

Shared shared_of(const Grid& grid, Index records, std::size_t quantities, std::uintmax_t most) {
  Shared result;
  Index longest = 1;
  for (int a = 0; a < grid.dimension(); ++a) longest = std::max(longest, grid.axis(a).size());
  Index kept = 0;
  for (Index stride = 1;; ++stride) {
    for (int a = 0; a < grid.dimension(); ++a) thin(grid.axis(a), stride, result.places[a], result.bounds[a]);
    const auto each = characters_of(result.values() * quantities * sizeof(float));
    kept = std::min(records, static_cast<Index>(most / std::max<std::uintmax_t>(each, 1)));
    if (kept >= std::min(records, fewest_records) || stride > longest / fewest_places) break;
  }
  if (kept == 0)
    throw PlotError("there is no room for a single record on the page: allow it to become larger");
  for (Index n = 0; n < kept; ++n)
    result.records.push_back(kept == 1 ? records - 1
                                       : std::llround(static_cast<Real>(n) * static_cast<Real>(records - 1) /
                                                      static_cast<Real>(kept - 1)));
  return result;
}

}  // namespace williwaw::plot
