// The larger of both differences that twice the other one allows (Roe, 1986).
#include "kinds.hpp"

namespace williwaw {
namespace {

struct SuperbeeSlope {
  WILLIWAW_INLINE static Real of(Real a, Real b) {
    const Real x = std::abs(a), y = std::abs(b);
    return reconstructions::common_sign(a, b) *
           reconstructions::most(reconstructions::least(2 * x, y), reconstructions::least(x, 2 * y));
  }
};

WILLIWAW_CLONES void superbee_line(const Rows& u, Index n, Real* l, Real* r) {
  reconstructions::by_slope<SuperbeeSlope>(u, n, l, r);
}

WILLIWAW_CLONES void superbee_ends(const Real* before, const Real* here, const Real* after, Index n, Real* l,
                                   Real* h) {
  reconstructions::ends_by_slope<SuperbeeSlope>(before, here, after, n, l, h);
}

}  // namespace

ReconstructionKind reconstructions::superbee() {
  return {"superbee",   2, 2, true, courant_of_slope(2), superbee_line, SuperbeeSlope::of, central_symbol,
          superbee_ends};
}

}  // namespace williwaw
