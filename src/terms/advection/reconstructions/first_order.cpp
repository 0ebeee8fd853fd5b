// The mean of the cell itself (Godunov, 1959).
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

struct NoSlope {
  WILLIWAW_INLINE static Real of(Real, Real) { return 0; }
};

void first_order_line(const Rows& u, Index count, Real* left, Real* right) {
  std::copy_n(u[2], count, left);
  std::copy_n(u[3], count, right);
}

std::array<Real, 2> first_order_symbol(Real) {
  return {1, 0};
}

}  // namespace

ReconstructionKind reconstructions::first_order() {
  return {"first-order", 1, 1, true, 1, first_order_line, NoSlope::of, first_order_symbol};
}

}  // namespace williwaw
