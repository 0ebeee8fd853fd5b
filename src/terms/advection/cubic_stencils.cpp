#include "terms/advection/cubic_stencils.hpp"

#include <algorithm>

#include "williwaw/grid/clones.hpp"

namespace williwaw {

namespace {

// So many places at a time: their weights stay in the nearest cache.
constexpr Index chunk = 128;

using Four = std::array<Real, 4>;

// Weights of Lagrange's cubic through -1, 0, 1 and 2 at positions from 0 to 1.
WILLIWAW_CLONES void uniform_weights(Index count, const Real* position, Four* weights) {
  for (Index i = 0; i < count; ++i) {
    const Real f = position[i], before = f + 1, after = f - 1, beyond = f - 2;
    weights[i][0] = f * after * beyond * (-1.0 / 6);
    weights[i][1] = before * after * beyond * 0.5;
    weights[i][2] = before * f * beyond * -0.5;
    weights[i][3] = before * f * after * (1.0 / 6);
  }
}

void weights_between(Index count, const Real* points, const Index* first, const Real* position,
                     Four* weights) {
  for (Index i = 0; i < count; ++i) {
    const Real *x = points + first[i], s = position[i];
    for (std::size_t m = 0; m < 4; ++m) {
      Real weight = 1;
      for (std::size_t n = 0; n < 4; ++n)
        if (n != m) weight *= (s - x[n]) / (x[m] - x[n]);
      weights[i][m] = weight;
    }
  }
}

WILLIWAW_INLINE inline Real within(Real value, Real low, Real high) {
  value = value < low ? low : value;
  return value > high ? high : value;
}

struct Extremes {
  Real low, high;
  WILLIWAW_INLINE explicit Extremes(Real first) : low(first), high(first) {}
  WILLIWAW_INLINE void see(Real value) {
    low = value < low ? value : low;
    high = value > high ? value : high;
  }
};

template <int dimension>
WILLIWAW_INLINE inline void read_places(Index count, const Real* y, const Index* corner, Index row,
                                        Index sheet, const Four* along, const Four* across,
                                        const Four* upwards, Real* __restrict out) {
  constexpr Index rows = dimension > 1 ? 4 : 1, sheets = dimension > 2 ? 4 : 1;
  for (Index i = 0; i < count; ++i) {
    const Real* const first = y + corner[i];
    // The sum over all rows for each of the four along the line, side by side.
    Four sums{};
    for (Index k = 0; k < sheets; ++k)
      for (Index j = 0; j < rows; ++j) {
        Real weight = 1;
        if constexpr (dimension > 1) weight = across[i][j];
        if constexpr (dimension > 2) weight *= upwards[i][k];
        const Real* const four = first + k * sheet + j * row;
#pragma omp simd
        for (Index m = 0; m < 4; ++m) sums[m] += weight * four[m];
      }
    const Four& w = along[i];
    const Real sum = (w[0] * sums[0] + w[1] * sums[1]) + (w[2] * sums[2] + w[3] * sums[3]);
    const Real* const inner = first + 1 + (dimension > 1 ? row : 0) + (dimension > 2 ? sheet : 0);
    Extremes range(*inner);
    for (Index k = 0; k < (dimension > 2 ? 2 : 1); ++k)
      for (Index j = 0; j < (dimension > 1 ? 2 : 1); ++j)
        for (Index m = 0; m < 2; ++m) range.see(inner[k * sheet + j * row + m]);
    out[i] = within(sum, range.low, range.high);
  }
}

WILLIWAW_CLONES void read_chunk(int dimension, Index count, const Real* y, const Index* corner, Index row,
                                Index sheet, const Four* along, const Four* across, const Four* upwards,
                                Real* out) {
  if (dimension == 1)
    read_places<1>(count, y, corner, row, sheet, along, across, upwards, out);
  else if (dimension == 2)
    read_places<2>(count, y, corner, row, sheet, along, across, upwards, out);
  else
    read_places<3>(count, y, corner, row, sheet, along, across, upwards, out);
}

}  // namespace

CubicStencils::CubicStencils(const Grid& grid) : grid_(grid) {}

bool CubicStencils::usable() const {
  for (int a = 0; a < grid_.dimension(); ++a)
    if (grid_.size(a) < 4) return false;
  return true;
}

void CubicStencils::make_room() {
  const auto count = static_cast<std::size_t>(grid_.count());
  corner_.assign(count, 0);
  for (int a = 0; a < grid_.dimension(); ++a) {
    position_[a].assign(count, 0.5);
    if (!grid_.axis(a).is_uniform()) first_[a].assign(count, 0);
  }
}

Index CubicStencils::first_of_four(int axis, Index cell, Real position) const {
  const Axis& a = grid_.axis(axis);
  const Index first = cell - (position < a.points()[cell] ? 2 : 1);
  return first < 0 || first + 3 >= a.size() ? -1 : first;
}

void CubicStencils::place(Index n, const std::array<Index, 3>& first, const std::array<Real, 3>& position) {
  const auto at = static_cast<std::size_t>(n);
  corner_[at] = grid_.number(first[0], first[1], first[2]);
  for (int a = 0; a < grid_.dimension(); ++a) {
    const auto points = grid_.axis(a).points();
    if (first_[a].empty()) {
      const Real from = points[first[a] + 1];
      position_[a][at] = (position[a] - from) / (points[first[a] + 2] - from);
    } else {
      position_[a][at] = position[a];
      first_[a][at] = first[a];
    }
  }
}

void CubicStencils::read(Index line, const Real* y, Real* out) const {
  const int dimension = grid_.dimension();
  const Index nx = grid_.size(0), sheet = nx * grid_.size(1);
  std::array<std::array<Four, chunk>, 3> weights;
  for (Index i = 0; i < nx; i += chunk) {
    const Index count = std::min(chunk, nx - i), n = nx * line + i;
    for (int a = 0; a < dimension; ++a) {
      const Real* const position = position_[a].data() + n;
      if (first_[a].empty())
        uniform_weights(count, position, weights[a].data());
      else
        weights_between(count, grid_.axis(a).points().data(), first_[a].data() + n, position,
                        weights[a].data());
    }
    read_chunk(dimension, count, y, corner_.data() + n, nx, sheet, weights[0].data(), weights[1].data(),
               weights[2].data(), out + i);
  }
}

}  // namespace williwaw
