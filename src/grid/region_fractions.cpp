#include "williwaw/grid/region_fractions.hpp"

#include <algorithm>

#include "grid/threads.hpp"
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

namespace {

std::vector<Real> positions_across(const Grid& grid, int a, Index i) {
  return a < grid.dimension() ? sample_positions(grid.axis(a), i) : std::vector<Real>{0};
}

// Looks along a line of control volumes, and the least and the greatest label that those of each find.
class LookedLine {
 public:
  LookedLine(const Grid& grid, const Regions& regions) : grid_(grid), regions_(regions) {
    std::vector<Real> looked;
    for (Index i = 0; i < grid.size(0); ++i) {
      for (const Real p : sample_positions(grid.axis(0), i)) looked.push_back(p);
      end_.push_back(looked.size());
    }
    line_.resize(static_cast<Index>(looked.size()));
    line_.coordinate(grid.direction(0)) = looked;
    least_.resize(looked.size());
    greatest_.resize(looked.size());
    found_.resize(looked.size());
  }

  void look(Index j, Index k, std::span<int> out) {
    bool first = true;
    for (const Real z : positions_across(grid_, 2, k))
      for (const Real y : positions_across(grid_, 1, j)) {
        if (grid_.dimension() > 1) line_.coordinate(grid_.direction(1)).assign(found_.size(), y);
        if (grid_.dimension() > 2) line_.coordinate(grid_.direction(2)).assign(found_.size(), z);
        regions_.labels(line_, first ? least_ : found_);
        if (first)
          greatest_ = least_;
        else
          for (std::size_t s = 0; s < found_.size(); ++s) {
            least_[s] = std::min(least_[s], found_[s]);
            greatest_[s] = std::max(greatest_[s], found_[s]);
          }
        first = false;
      }
    std::size_t s = 0;
    for (std::size_t i = 0; i < out.size(); ++i) {
      int least = least_[s], greatest = greatest_[s];
      for (++s; s < end_[i]; ++s) {
        least = std::min(least, least_[s]);
        greatest = std::max(greatest, greatest_[s]);
      }
      out[i] = least == greatest ? least : -1;
    }
  }

 private:
  const Grid& grid_;
  const Regions& regions_;
  Points line_;
  std::vector<std::size_t> end_;  // of the looks at each control volume
  std::vector<int> least_, greatest_, found_;
};

}  // namespace

std::vector<int> labels_of_volumes(const Grid& grid, const Regions& regions) {
  std::vector<int> result(static_cast<std::size_t>(grid.count()));
  const Index nx = grid.size(0), lines = grid.size(1) * grid.size(2);
  on_all_threads(
      lines, threads_for(grid.count(), 0), [&] { return LookedLine(grid, regions); },
      [&](LookedLine& line, Index l) {
        line.look(l % grid.size(1), l / grid.size(1),
                  std::span(result).subspan(static_cast<std::size_t>(nx * l), static_cast<std::size_t>(nx)));
      });
  return result;
}

void labels_within(const Grid& grid, const Regions& regions, Index n, std::vector<int>& out) {
  const auto at = grid.position(n);
  const std::vector<Real> x = sample_positions(grid.axis(0), at[0]);
  Points looked(static_cast<Index>(x.size()));
  looked.coordinate(grid.direction(0)) = x;
  std::vector<int> found(x.size());
  out.clear();
  for (const Real z : positions_across(grid, 2, at[2]))
    for (const Real y : positions_across(grid, 1, at[1])) {
      if (grid.dimension() > 1) looked.coordinate(grid.direction(1)).assign(x.size(), y);
      if (grid.dimension() > 2) looked.coordinate(grid.direction(2)).assign(x.size(), z);
      regions.labels(looked, found);
      out.insert(out.end(), found.begin(), found.end());
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
  const std::vector<int> of_volumes = looking::labels_of_volumes(grid, regions);
  std::vector<int> present;
  for (Index n = 0; n < grid.count(); ++n) {
    if (of_volumes[static_cast<std::size_t>(n)] >= 0) continue;
    looking::labels_within(grid, regions, n, present);
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
  }
}

}  // namespace williwaw
