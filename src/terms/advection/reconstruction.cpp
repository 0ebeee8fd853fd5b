#include "williwaw/terms/reconstruction.hpp"

#include <algorithm>
#include <cmath>

#include "grid/named.hpp"
#include "terms/advection/reconstructions/kinds.hpp"

namespace williwaw {

const std::vector<ReconstructionKind>& reconstruction_kinds() {
  static const std::vector<ReconstructionKind> kinds{
#define KIND(name) reconstructions::name(),
#include "terms/advection/reconstructions/list.inc"
#undef KIND
  };
  return kinds;
}

const ReconstructionKind& reconstruction_kind(const std::string& name) {
  return named(reconstruction_kinds(), name, Subject::reconstruction, "reconstruction");
}

const std::vector<LimiterKind>& limiter_kinds() {
  static const std::vector<LimiterKind> kinds = [] {
    std::vector<LimiterKind> with_slope;
    for (const ReconstructionKind& kind : reconstruction_kinds())
      if (kind.slope) with_slope.push_back({kind.name, kind.slope});
    return with_slope;
  }();
  return kinds;
}

const LimiterKind& limiter_kind(const std::string& name) {
  return named(limiter_kinds(), name, Subject::reconstruction, "reconstruction");
}

void reconstruct_uneven(const ReconstructionKind& kind, const Rows& u, const FaceSpacing& spacing,
                        Index count, Real* left, Real* right) {
  const auto within = [](Real change, Real most) {
    return change * most > 0 ? (std::abs(change) < std::abs(most) ? change : most) : 0;
  };
  for (Index i = 0; i < count; ++i) {
    const Index s = i * spacing.step;
    const Real below = (u[2][i] - u[1][i]) / spacing.gaps[0][s], across = u[3][i] - u[2][i],
               middle = across / spacing.gaps[1][s], above = (u[4][i] - u[3][i]) / spacing.gaps[2][s];
    left[i] = u[2][i] + within(kind.slope(below, middle) * spacing.halves[0][s], across);
    right[i] = u[3][i] - within(kind.slope(middle, above) * spacing.halves[1][s], across);
  }
}

void reconstruct_line(const ReconstructionKind& kind, const Rows& rows,
                      const std::array<std::vector<Real>, 5>& distances, Index first, bool along, Index count,
                      Real* left, Real* right) {
  if (distances[0].empty()) {
    kind.uniform(rows, count, left, right);
    return;
  }
  const auto from = [&](std::size_t n) { return distances[n].data() + first; };
  reconstruct_uneven(kind, rows, {{from(0), from(1), from(2)}, {from(3), from(4)}, along ? 1 : 0}, count,
                     left, right);
}

std::array<std::vector<Real>, 5> distances_of_faces(const Axis& axis) {
  std::array<std::vector<Real>, 5> result;
  const Index size = axis.size();
  const auto gap = [&](Index f) {
    return axis.gaps()[axis.periodic() ? (f % size + size) % size : std::clamp<Index>(f, 0, size)];
  };
  for (Index f = 0; f <= size; ++f) {
    const Real before = f > 0             ? axis.bounds()[f] - axis.points()[f - 1]
                        : axis.periodic() ? axis.bounds()[size] - axis.points()[size - 1]
                                          : axis.gaps()[0];
    const Real after = f < size          ? axis.points()[f] - axis.bounds()[f]
                       : axis.periodic() ? axis.points()[0] - axis.bounds()[0]
                                         : axis.gaps()[size];
    const Real one = std::max(before + after, 1e-300);
    const std::array<Real, 5> numbers{std::max(gap(f - 1), 0.5 * one), one, std::max(gap(f + 1), 0.5 * one),
                                      before, after};
    for (std::size_t k = 0; k < 5; ++k) result[k].push_back(numbers[k]);
  }
  return result;
}

}  // namespace williwaw
