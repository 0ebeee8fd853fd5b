// The mean of both differences, at most twice the smaller one (van Leer, 1977).
#include "kinds.hpp"

namespace williwaw {
namespace {

struct MonotonizedSlope {
  WILLIWAW_INLINE static Real of(Real a, Real b) {
    const Real size =
        reconstructions::least(0.5 * std::abs(a + b), 2 * reconstructions::least(std::abs(a), std::abs(b)));
    return reconstructions::common_sign(a, b) * size;
  }
};

WILLIWAW_CLONES void monotonized_central_line(const Rows& u, Index n, Real* l, Real* r) {
  reconstructions::by_slope<MonotonizedSlope>(u, n, l, r);
}

WILLIWAW_CLONES void monotonized_central_ends(const Real* before, const Real* here, const Real* after,
                                              Index n, Real* l, Real* h) {
  reconstructions::ends_by_slope<MonotonizedSlope>(before, here, after, n, l, h);
}

}  // namespace

ReconstructionKind reconstructions::monotonized_central() {
  return {"monotonized-central",
          2,
          2,
          true,
          courant_of_slope(2),
          monotonized_central_line,
          MonotonizedSlope::of,
          central_symbol,
          monotonized_central_ends};
}

}  // namespace williwaw
