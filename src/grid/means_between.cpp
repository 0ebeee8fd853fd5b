#include "williwaw/grid/means_between.hpp"

#include <algorithm>

namespace williwaw {

MeansBetween::MeansBetween(const Grid& to, const Grid& from) : to_(to), from_(from) {
  if (!(to.at_cells() == from.at_cells()))
    throw InputError(Subject::grid, "values are taken from unknowns to other places of the same axes only");
  for (int a = 0; a < to.dimension(); ++a) {
    const Axis &wanted = to.axis(a), &given = from.axis(a);
    if (wanted.unknowns() == given.unknowns()) continue;
    same_ = false;
    const auto points = given.points();
    const Index last = given.size() - 1;
    for (Index i = 0; i < wanted.size(); ++i) {
      // Cell i lies between nodes i and i + 1, node i between cells i − 1 and i.
      const bool nodes = given.unknowns() == Unknowns::nodes;
      Index low = nodes ? i : i - 1, high = nodes ? i + 1 : i;
      Real below = low < 0 ? points[last] - given.length() : points[low];
      Real above = high > last ? points[0] + given.length() : points[high];
      if (given.periodic()) {
        low = (low + given.size()) % given.size();
        high = high % given.size();
      } else if (low < 0 || high > last) {
        low = high = std::clamp<Index>(low < 0 ? high : low, 0, last);
        along_[a].push_back({Weighted{low, 1}, Weighted{high, 0}});
        continue;
      }
      const Real share = (wanted.points()[i] - below) / (above - below);
      along_[a].push_back({Weighted{low, 1 - share}, Weighted{high, share}});
    }
  }
}

void MeansBetween::line(const Real* values, Index j, Index k, Real* out) const {
  const Index count = to_.size(0);
  std::fill_n(out, count, 0.0);
  for (const auto& [z, wz] : beside(2, k))
    for (const auto& [y, wy] : beside(1, j)) {
      const Real weight = wz * wy;
      if (weight == 0) continue;
      const Real* const row = values + from_.number(0, y, z);
      if (along_[0].empty()) {
        for (Index i = 0; i < count; ++i) out[i] += weight * row[i];
        continue;
      }
      const Pair* const beside = along_[0].data();
      for (Index i = 0; i < count; ++i)
        out[i] += weight *
                  (beside[i][0].weight * row[beside[i][0].at] + beside[i][1].weight * row[beside[i][1].at]);
    }
}

Real MeansBetween::at(const Real* values, Index i, Index j, Index k) const {
  Real result = 0;
  each(i, j, k, [&](Index n, Real weight) { result += weight * values[n]; });
  return result;
}

std::vector<Real> MeansBetween::all(std::span<const Real> values) const {
  expect(static_cast<Index>(values.size()) == from_.count(), "MeansBetween::all: one value for each unknown");
  std::vector<Real> result(static_cast<std::size_t>(to_.count()));
  for (Index k = 0; k < to_.size(2); ++k)
    for (Index j = 0; j < to_.size(1); ++j) line(values.data(), j, k, result.data() + to_.number(0, j, k));
  return result;
}

Field at_cells(const Field& field) {
  const Grid &from = field.grid(), cells = from.at_cells();
  const MeansBetween means(cells, from);
  Field result(cells, means.all(field.values()));
  bool known = true;
  for (const Side side : cells.sides()) {
    const auto axis = static_cast<std::size_t>(side.axis);
    if (cells.axis(side.axis).periodic()) continue;
    const bool on_nodes = from.axis(side.axis).unknowns() == Unknowns::nodes;
    known = known && (on_nodes || field.knows_beyond());
    for (const Index n : cells.unknowns_at(side)) {
      auto beyond = cells.position(n);
      // Of nodes those on the side, of cells the halo, each between the two beside this place.
      Real there = 0;
      means.each(beyond[0], beyond[1], beyond[2], [&](Index other, Real weight) {
        auto at = from.position(other);
        if (on_nodes) {
          at[axis] = side.upper ? from.size(side.axis) - 1 : 0;
          there += weight * field.at(at[0], at[1], at[2]);
        } else {
          const Real inside = field[other];
          at[axis] += side.upper ? 1 : -1;
          there += weight * 0.5 * (inside + field.at(at[0], at[1], at[2]));
        }
      });
      beyond[axis] += side.upper ? 1 : -1;
      result.at(beyond[0], beyond[1], beyond[2]) = 2 * there - result[n];
    }
  }
  result.extend_corners();
  result.set_knows_beyond(known);
  return result;
}

}  // namespace williwaw
