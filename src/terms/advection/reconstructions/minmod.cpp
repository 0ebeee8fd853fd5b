// The smaller of both differences (Roe, 1986).
#include "kinds.hpp"

namespace williwaw {
namespace {

struct MinmodSlope {
  WILLIWAW_INLINE static Real of(Real a, Real b) {
    return reconstructions::common_sign(a, b) * reconstructions::least(std::abs(a), std::abs(b));
  }
};

WILLIWAW_CLONES void minmod_line(const Rows& u, Index n, Real* l, Real* r) {
  reconstructions::by_slope<MinmodSlope>(u, n, l, r);
}

WILLIWAW_CLONES void minmod_ends(const Real* before, const Real* here, const Real* after, Index n, Real* l,
                                 Real* h) {
  reconstructions::ends_by_slope<MinmodSlope>(before, here, after, n, l, h);
}

}  // namespace

ReconstructionKind reconstructions::minmod() {
  return {"minmod",       2,          2, true, courant_of_slope(1), minmod_line, MinmodSlope::of,
          central_symbol, minmod_ends};
}

}  // namespace williwaw
