// Sweeps over systems in which every unknown is joined to its neighbours along the axes: products, residuals
// and red-black relaxation, in either precision.
#pragma once

#include <algorithm>
#include <array>

#include "williwaw/domain/box.hpp"

namespace williwaw::faces {

/// A symmetric system. low[a][n] joins n to the unknown before it along axis a (0 at a boundary; at the first
/// unknown of a periodic axis it joins the last): row n is diagonal·x_n − Σ low·x_neighbour.
template <class Number>
struct View {
  std::array<Index, 3> extent;
  std::array<bool, 3> periodic;
  int dimension;
  const Number* diagonal;
  std::array<const Number*, 3> low;

  Index size() const { return extent[0] * extent[1] * extent[2]; }
  Index lines() const { return extent[1] * extent[2]; }
};

/// y = A·x, and x·y.
Real multiply(const View<double>& a, const double* x, double* y, int threads);
/// The same for the own rows of a box, with x·y of all ranks; the halo of x has to be filled.
Real multiply(const View<double>& a, const Box& box, const double* x, double* y, int threads);
/// r = b − A·x
void residual(const View<float>& a, const float* x, const float* b, float* r, int threads);
/// Gauss-Seidel in two colours, the red unknowns (even sum of indices) first or last. From zero if `zero`.
/// `inverse` holds 1/diagonal. Colours along a periodic axis of odd length meet at the seam, where it is
/// Jacobi.
void relax(const View<float>& a, const float* inverse, float* x, const float* b, bool red_first, bool zero,
           int threads);

}  // namespace williwaw::faces
