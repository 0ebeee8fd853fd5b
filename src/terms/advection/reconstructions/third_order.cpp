// The parabola through three means, at the face (van Leer, 1985).
#include <complex>

#include "kinds.hpp"

namespace williwaw {
namespace {

WILLIWAW_CLONES void third_order_line(const Rows& u, Index n, Real* __restrict left, Real* __restrict right) {
  const Real *a = u[1], *b = u[2], *c = u[3], *d = u[4];
  for (Index i = 0; i < n; ++i) {
    left[i] = (-a[i] + 5 * b[i] + 2 * c[i]) / 6;
    right[i] = (2 * b[i] + 5 * c[i] - d[i]) / 6;
  }
}

std::array<Real, 2> third_order_symbol(Real angle) {
  const auto value = (-std::polar(1.0, -angle) + 5.0 + 2.0 * std::polar(1.0, angle)) / 6.0;
  return {value.real(), value.imag()};
}

}  // namespace

ReconstructionKind reconstructions::third_order() {
  return {"third-order", 3, 2, false, 0, third_order_line, nullptr, third_order_symbol};
}

}  // namespace williwaw
