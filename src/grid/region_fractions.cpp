#include "williwaw/grid/region_fractions.hpp"

#include <algorithm>

#include "volume_samples.hpp"

namespace williwaw {

namespace looking {

std::vector<Span> halves(const Axis& axis, Index i) {
  std::vector<Span> result;
  for (const auto& piece : axis.pieces(i)) {
    result.push_back({piece.centre - 0.5 * piece.width, piece.centre});
    result.push_back({piece.centre, piece.centre + 0.5 * piece.width});
  }
  return result;
}

std::array<std::vector<Span>, 3> halves(const Grid& grid, Index n) {
  std::array<std::vector<Span>, 3> result;
  const auto at = grid.position(n);
  for (int a = 0; a < 3; ++a)
    result[a] = a < grid.dimension() ? halves(grid.axis(a), at[a]) : std::vector<Span>{{0, 0}};
  return result;
}

std::vector<Real> sample_positions(const Axis& axis, Index i) {
  std::vector<Real> result;
  for (const auto& piece : axis.pieces(i))
    for (const Real side : {-1.0, 0.0, 1.0})
      result.push_back(axis.wrap(piece.centre + 0.5 * side * (1 - 1e-6) * piece.width));
  return result;
}

int Labels::operator()(const Vector& place) const {
  for (int a = 0; a < grid_.dimension(); ++a)
    one_.coordinate(grid_.direction(a))[0] = grid_.axis(a).wrap(place[a]);
  int result = 0;
  regions_.labels(one_, {&result, 1});
  return result;
}

void each_volume(const Grid& grid, const Regions& regions,
                 const std::function<void(Index, std::span<const int>)>& visit) {
  std::vector<Real> looked;
  std::vector<std::size_t> first{0};
  for (Index i = 0; i < grid.size(0); ++i) {
    for (const Real p : sample_positions(grid.axis(0), i)) looked.push_back(p);
    first.push_back(looked.size());
  }
  Points line(static_cast<Index>(looked.size()));
  line.coordinate(grid.direction(0)) = looked;
  const auto across = [&](int a, Index i) {
    return a < grid.dimension() ? sample_positions(grid.axis(a), i) : std::vector<Real>{0};
  };
  std::vector<std::vector<int>> seen;
  std::vector<int> of_one;
  for (Index k = 0; k < grid.size(2); ++k)
    for (Index j = 0; j < grid.size(1); ++j) {
      seen.clear();
      for (const Real z : across(2, k))
        for (const Real y : across(1, j)) {
          if (grid.dimension() > 1) line.coordinate(grid.direction(1)).assign(looked.size(), y);
          if (grid.dimension() > 2) line.coordinate(grid.direction(2)).assign(looked.size(), z);
          regions.labels(line, seen.emplace_back(looked.size()));
        }
      for (Index i = 0; i < grid.size(0); ++i) {
        of_one.clear();
        for (const auto& labels : seen)
          of_one.insert(of_one.end(), labels.begin() + static_cast<Index>(first[i]),
                        labels.begin() + static_cast<Index>(first[i + 1]));
        visit(grid.number(i, j, k), of_one);
      }
    }
}

clip::Rest clip_box(const Grid& grid, const Vector& low, const Vector& high, const clip::Keep& keep) {
  const Axis& first = grid.axis(0);
  clip::Rest rest =
      clip::box(grid.dimension(), low, high, keep, [&](const Vector& p) { return first.area(p[0]); });
  if (grid.dimension() == 1 && rest.cut > 0) {
    // The weight at the middle of a piece is not exact along r; its two ends are.
    const Real at = rest.first_moment[0] / rest.cut;
    rest.measure = rest.normal[0] > 0 ? first.measure(low[0], at) : first.measure(at, high[0]);
  } else if (grid.dimension() == 1 && rest.measure > 0) {
    rest.measure = first.measure(low[0], high[0]);
  }
  return rest;
}

}  // namespace looking

RegionFractions::RegionFractions(const Grid& grid, const Regions& regions) {
  if (regions.empty()) return;
  const looking::Labels label(grid, regions);
  looking::each_volume(grid, regions, [&](Index n, std::span<const int> labels) {
    if (std::ranges::all_of(labels, [&](int l) { return l == labels[0]; })) return;
    std::vector<int> present(labels.begin(), labels.end());
    std::ranges::sort(present);
    present.erase(std::unique(present.begin(), present.end()), present.end());
    for (const int one : present) {
      if (!regions.keeps(one)) continue;
      Real volume = 0;
      looking::each_box(looking::halves(grid, n),
                        [&](const looking::Vector& low, const looking::Vector& high) {
                          volume += looking::clip_box(grid, low, high, [&](const looking::Vector& p) {
                                      return label(p) == one;
                                    }).measure;
                        });
      if (volume > 0) mixed_.push_back({n, one, volume});
    }
  });
}

}  // namespace williwaw
