// Values of fields elsewhere: on other grids, at places, on planes.
#include <algorithm>
#include <cmath>

#include "williwaw/grid/field_operations.hpp"

namespace williwaw {

namespace {

void check_axes(const Grid& from, const Grid& to) {
  bool same = from.dimension() == to.dimension();
  for (int a = 0; same && a < from.dimension(); ++a) same = from.axis(a).name() == to.axis(a).name();
  if (!same) throw InputError("resample: a grid with the same axes is needed");
}

// Overlaps of the old control volumes in each new one along an axis: number and length.
std::vector<std::vector<std::pair<Index, Real>>> overlaps(const Axis& from, const Axis& to) {
  std::vector<std::vector<std::pair<Index, Real>>> result(static_cast<std::size_t>(to.size()));
  for (Index n = 0; n < to.size(); ++n)
    for (Index m = 0; m < from.size(); ++m) {
      const Real low = std::max(from.bounds()[m], to.bounds()[n]),
                 high = std::min(from.bounds()[m + 1], to.bounds()[n + 1]);
      if (high > low) result[static_cast<std::size_t>(n)].emplace_back(m, from.measure(low, high));
    }
  return result;
}

Field conserved(const Field& field, const Grid& grid) {
  const Grid& g = field.grid();
  std::array<std::vector<std::vector<std::pair<Index, Real>>>, 3> fractions;
  for (int a = 0; a < 3; ++a) {
    if (a >= g.dimension()) {
      fractions[a] = {{{0, 1.0}}};
      continue;
    }
    const Axis &from = g.axis(a), &to = grid.axis(a);
    const Real slack = 1e-9 * from.length();
    if (std::abs(from.bounds().front() - to.bounds().front()) > slack ||
        std::abs(from.bounds().back() - to.bounds().back()) > slack)
      throw InputError("amounts are conserved between grids over the same extent only; along " + from.name() +
                       " they differ");
    fractions[a] = overlaps(from, to);
  }
  Field result(grid);
  for (Index n = 0; n < grid.count(); ++n) {
    const auto at = grid.position(n);
    Real sum = 0;
    for (const auto& [k, depth] : fractions[2][at[2]])
      for (const auto& [j, width] : fractions[1][at[1]])
        for (const auto& [i, length] : fractions[0][at[0]]) sum += length * width * depth * field.at(i, j, k);
    result[n] = sum / grid.volume_of(n);
  }
  result.extend();
  return result;
}

}  // namespace

Field resample(const Field& field, const Grid& grid, Resampling how) {
  check_axes(field.grid(), grid);
  if (how == Resampling::conserve) return conserved(field, grid);
  Field result(grid);
  for (Index n = 0; n < grid.count(); ++n) result[n] = field.sample(grid.point_of(n));
  result.extend();
  return result;
}

namespace {

// Unknowns of one axis and their weights in a value at a position.
struct AxisWeights {
  std::array<Index, 4> index{};
  std::array<Real, 4> weight{1, 0, 0, 0};
  int count = 1;
};

AxisWeights cubic_weights(const Axis& axis, Real position) {
  const auto points = axis.points();
  const Index size = axis.size();
  AxisWeights w;
  w.count = static_cast<int>(std::min<Index>(4, size));
  Index first = std::upper_bound(points.begin(), points.end(), position) - points.begin() - 2;
  if (!axis.periodic()) first = std::clamp<Index>(first, 0, size - w.count);
  std::array<Real, 4> place{};
  for (int n = 0; n < w.count; ++n) {
    const Index i = first + n, turns = i < 0 ? -1 : i / size;
    w.index[n] = i - turns * size;
    place[n] = points[w.index[n]] + static_cast<Real>(turns) * axis.length();
  }
  for (int n = 0; n < w.count; ++n) {
    w.weight[n] = 1;
    for (int m = 0; m < w.count; ++m)
      if (m != n) w.weight[n] *= (position - place[m]) / (place[n] - place[m]);
  }
  return w;
}

}  // namespace

Real sample_cubic(const Field& field, const Point& place) {
  const Grid& g = field.grid();
  g.containing(place);  // says so if the place is outside
  std::array<AxisWeights, 3> along;
  for (int a = 0; a < g.dimension(); ++a)
    along[a] = cubic_weights(g.axis(a), g.axis(a).wrap(place[g.direction(a)]));
  Real sum = 0;
  for (int k = 0; k < along[2].count; ++k)
    for (int j = 0; j < along[1].count; ++j)
      for (int i = 0; i < along[0].count; ++i) {
        const Index n = g.number(along[0].index[i], along[1].index[j], along[2].index[k]);
        if (field.is_left_out(n)) return field.sample(place);
        sum += along[0].weight[i] * along[1].weight[j] * along[2].weight[k] * field[n];
      }
  return sum;
}

Field slice(const Field& field, int axis, Real position) {
  const Grid& g = field.grid();
  if (g.dimension() < 2) throw InputError("a 1-D field has no slices; sample it");
  std::vector<Axis> kept;
  std::vector<int> of;
  for (int a = 0; a < g.dimension(); ++a)
    if (a != axis) {
      kept.push_back(g.axis(a));
      of.push_back(a);
    }
  const Grid plane{std::move(kept)};
  Field result(plane);
  for (Index n = 0; n < plane.count(); ++n) {
    const auto at = plane.position(n);
    Point p;
    for (std::size_t b = 0; b < of.size(); ++b)
      p[g.direction(of[b])] = plane.axis(static_cast<int>(b)).points()[at[b]];
    p[g.direction(axis)] = position;
    result[n] = field.sample(p);
  }
  result.extend();
  return result;
}

}  // namespace williwaw
