// The harmonic mean of both differences (van Leer, 1974).
#include "kinds.hpp"

namespace williwaw {
namespace {

struct VanLeerSlope {
  WILLIWAW_INLINE static Real of(Real a, Real b) {
    const Real product = a * b, both = product > 0 ? product : 0.0, sum = a + b;
    return both > 0 ? 2 * both / sum : 0.0;
  }
};

WILLIWAW_CLONES void van_leer_line(const Rows& u, Index n, Real* l, Real* r) {
  reconstructions::by_slope<VanLeerSlope>(u, n, l, r);
}

WILLIWAW_CLONES void van_leer_ends(const Real* before, const Real* here, const Real* after, Index n, Real* l,
                                   Real* h) {
  reconstructions::ends_by_slope<VanLeerSlope>(before, here, after, n, l, h);
}

}  // namespace

ReconstructionKind reconstructions::van_leer() {
  return {"van-leer",   2, 2, true, courant_of_slope(2), van_leer_line, VanLeerSlope::of, central_symbol,
          van_leer_ends};
}

}  // namespace williwaw
