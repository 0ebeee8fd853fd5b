// Sweeps over systems in which every unknown is joined to its neighbours along the axes: products, residuals
// and red-black relaxation, in either precision.
#pragma once

#include <algorithm>
#include <array>

#include "williwaw/grid/types.hpp"

namespace williwaw::faces {

/// A symmetric system. low[a][n] joins n to the unknown before it along axis a (0 at a wall; at the first
/// unknown of a periodic axis it joins the last): row n is diagonal·x_n − Σ low·x_neighbour.
template <class Number>
struct View {
  std::array<Index, 3> extent;
  std::array<bool, 3> periodic;
  int rank;
  const Number* diagonal;
  std::array<const Number*, 3> low;

  Index size() const { return extent[0] * extent[1] * extent[2]; }
  Index lines() const { return extent[1] * extent[2]; }
};

/// Sums are taken in blocks of lines that depend on the grid alone, so that threads never change them.
inline constexpr Index most_blocks = 128;

/// Sum of term(n) over n below `count`, in fixed blocks, so that threads never change it. Each term is taken
/// once.
template <class Term>
Real block_sum(Index count, int threads, const Term& term) {
  const Index blocks = std::min<Index>(count, most_blocks);
  std::array<Real, most_blocks> sums{};
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (Index b = 0; b < blocks; ++b) {
    Real sum = 0;
    const Index end = (b + 1) * count / blocks;
#pragma omp simd reduction(+ : sum)
    for (Index n = b * count / blocks; n < end; ++n) sum += term(n);
    sums[static_cast<std::size_t>(b)] = sum;
  }
  Real total = 0;
  for (const Real s : sums) total += s;
  return total;
}

/// y = A·x, and x·y.
Real multiply(const View<double>& a, const double* x, double* y, int threads);
/// r = b − A·x
void residual(const View<float>& a, const float* x, const float* b, float* r, int threads);
/// Gauss-Seidel in two colours, the red unknowns (even sum of indices) first or last. From zero if `zero`.
/// `inverse` holds 1/diagonal. Colours along a periodic axis of odd length meet at the seam, where it is
/// Jacobi.
void relax(const View<float>& a, const float* inverse, float* x, const float* b, bool red_first, bool zero,
           int threads);

}  // namespace williwaw::faces
