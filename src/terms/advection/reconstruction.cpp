#include "williwaw/terms/reconstruction.hpp"

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

}  // namespace williwaw
