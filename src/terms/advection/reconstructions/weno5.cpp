// Three parabolas, weighted by how smooth they are (Jiang and Shu, 1996), relative to how smooth all five
// values are (Borges, Carmona, Costa and Don, 2008): ratios of squares of differences, so that neither the
// unit nor an offset of the values counts, and the order stays 5 on smooth data.
#include <complex>
#include <limits>

#include "kinds.hpp"

namespace williwaw {
namespace {

WILLIWAW_INLINE inline Real weno(Real a, Real b, Real c, Real d, Real e) {
  const Real p0 = (2 * a - 7 * b + 11 * c) / 6, p1 = (-b + 5 * c + 2 * d) / 6, p2 = (2 * c + 5 * d - e) / 6;
  const auto square = [](Real x) { return x * x; };
  const Real s0 = 13.0 / 12 * square(a - 2 * b + c) + 0.25 * square(a - 4 * b + 3 * c);
  const Real s1 = 13.0 / 12 * square(b - 2 * c + d) + 0.25 * square(b - d);
  const Real s2 = 13.0 / 12 * square(c - 2 * d + e) + 0.25 * square(3 * c - 4 * d + e);
  // Below any square of differences that is not zero itself; 0/0 where all five values are the same.
  const Real least = 1e-40 * (s0 + s1 + s2) + std::numeric_limits<Real>::min(), all = std::abs(s0 - s2);
  const Real w0 = 0.1 * (1 + all / (s0 + least)), w1 = 0.6 * (1 + all / (s1 + least)),
             w2 = 0.3 * (1 + all / (s2 + least));
  return (w0 * p0 + w1 * p1 + w2 * p2) / (w0 + w1 + w2);
}

WILLIWAW_CLONES void weno_line(const Rows& u, Index n, Real* __restrict left, Real* __restrict right) {
  for (Index i = 0; i < n; ++i) {
    left[i] = weno(u[0][i], u[1][i], u[2][i], u[3][i], u[4][i]);
    right[i] = weno(u[5][i], u[4][i], u[3][i], u[2][i], u[1][i]);
  }
}

std::array<Real, 2> weno_symbol(Real angle) {
  const auto e = [angle](int n) { return std::polar(1.0, n * angle); };
  const auto value = (2.0 * e(-2) - 13.0 * e(-1) + 47.0 + 27.0 * e(1) - 3.0 * e(2)) / 60.0;
  return {value.real(), value.imag()};
}

}  // namespace

ReconstructionKind reconstructions::weno5() {
  return {"weno5", 5, 3, false, 0, weno_line, nullptr, weno_symbol};
}

}  // namespace williwaw
