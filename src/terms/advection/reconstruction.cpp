#include "williwaw/terms/reconstruction.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <limits>

#include "grid/clones.hpp"
#include "terms/advection/slopes.hpp"

namespace williwaw {

namespace {

template <class S>
[[gnu::always_inline]] inline void by_slope(const Rows& u, Index count, Real* __restrict left,
                                            Real* __restrict right) {
  const Real *a = u[1], *b = u[2], *c = u[3], *d = u[4];
#pragma omp simd
  for (Index i = 0; i < count; ++i) {
    const Real middle = c[i] - b[i];
    left[i] = b[i] + 0.5 * S::of(b[i] - a[i], middle);
    right[i] = c[i] - 0.5 * S::of(middle, d[i] - c[i]);
  }
}

void first(const Rows& u, Index count, Real* left, Real* right) {
  std::copy_n(u[2], count, left);
  std::copy_n(u[3], count, right);
}
WILLIWAW_CLONES void minmod_line(const Rows& u, Index n, Real* l, Real* r) {
  by_slope<slopes::Minmod>(u, n, l, r);
}
WILLIWAW_CLONES void van_leer_line(const Rows& u, Index n, Real* l, Real* r) {
  by_slope<slopes::VanLeer>(u, n, l, r);
}
WILLIWAW_CLONES void mc_line(const Rows& u, Index n, Real* l, Real* r) {
  by_slope<slopes::Monotonized>(u, n, l, r);
}
WILLIWAW_CLONES void superbee_line(const Rows& u, Index n, Real* l, Real* r) {
  by_slope<slopes::Superbee>(u, n, l, r);
}

// The parabola through three means, at the face.
WILLIWAW_CLONES void third_line(const Rows& u, Index n, Real* __restrict left, Real* __restrict right) {
  const Real *a = u[1], *b = u[2], *c = u[3], *d = u[4];
  for (Index i = 0; i < n; ++i) {
    left[i] = (-a[i] + 5 * b[i] + 2 * c[i]) / 6;
    right[i] = (2 * b[i] + 5 * c[i] - d[i]) / 6;
  }
}

// Three parabolas, weighted by how smooth they are (Jiang and Shu, 1996), relative to how smooth all five
// values are (Borges, Carmona, Costa and Don, 2008): ratios of squares of differences, so that neither the
// unit nor an offset of the values counts, and the order stays 5 on smooth data.
[[gnu::always_inline]] inline Real weno(Real a, Real b, Real c, Real d, Real e) {
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

std::array<Real, 2> first_symbol(Real) {
  return {1, 0};
}
// Slopes where nothing limits them: half the difference of both neighbours.
std::array<Real, 2> central_symbol(Real angle) {
  return {1, 0.5 * std::sin(angle)};
}
std::array<Real, 2> third_symbol(Real angle) {
  const auto value = (-std::polar(1.0, -angle) + 5.0 + 2.0 * std::polar(1.0, angle)) / 6.0;
  return {value.real(), value.imag()};
}
std::array<Real, 2> weno_symbol(Real angle) {
  const auto e = [angle](int n) { return std::polar(1.0, n * angle); };
  const auto value = (2.0 * e(-2) - 13.0 * e(-1) + 47.0 + 27.0 * e(1) - 3.0 * e(2)) / 60.0;
  return {value.real(), value.imag()};
}

}  // namespace

const std::vector<ReconstructionKind>& reconstruction_kinds() {
  const auto slope = [](const char* name) { return limiter_kind(name).slope; };
  // A slope of up to φ times the smaller difference leaves room for Courant numbers up to 1/(1 + φ/2).
  static const std::vector<ReconstructionKind> kinds{
      {"first-order", 1, 1, true, 1, first, slope("first-order"), first_symbol},
      {"minmod", 2, 2, true, 2.0 / 3, minmod_line, slope("minmod"), central_symbol},
      {"van-leer", 2, 2, true, 0.5, van_leer_line, slope("van-leer"), central_symbol},
      {"monotonized-central", 2, 2, true, 0.5, mc_line, slope("monotonized-central"), central_symbol},
      {"superbee", 2, 2, true, 0.5, superbee_line, slope("superbee"), central_symbol},
      {"third-order", 3, 2, false, 0, third_line, nullptr, third_symbol},
      {"weno5", 5, 3, false, 0, weno_line, nullptr, weno_symbol}};
  return kinds;
}

const ReconstructionKind& reconstruction_kind(const std::string& name) {
  const auto& kinds = reconstruction_kinds();
  const auto found = std::ranges::find(kinds, name, &ReconstructionKind::name);
  if (found != kinds.end()) return *found;
  std::string known;
  for (const auto& k : kinds) known += (known.empty() ? "" : ", ") + k.name;
  throw InputError(Subject::reconstruction,
                   "there is no reconstruction called '" + name + "'; there are " + known);
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
