// The smaller of both differences (Roe, 1986).
#include "kinds.hpp"

namespace williwaw {
namespace {

struct MinmodSlope {
  [[gnu::always_inline]] static Real of(Real a, Real b) {
    return reconstructions::common_sign(a, b) * reconstructions::least(std::abs(a), std::abs(b));
  }
};

WILLIWAW_CLONES void minmod_line(const Rows& u, Index n, Real* l, Real* r) {
  reconstructions::by_slope<MinmodSlope>(u, n, l, r);
}

}  // namespace

ReconstructionKind reconstructions::minmod() {
  return {"minmod", 2, 2, true, courant_of_slope(1), minmod_line, MinmodSlope::of, central_symbol};
}

}  // namespace williwaw
