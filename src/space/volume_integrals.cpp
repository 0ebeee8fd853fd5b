// Means over control volumes, piece by piece.
#include <algorithm>

#include "williwaw/space/couplings.hpp"

namespace williwaw {

void integrate_over_volumes(const Grid& grid, const Function& function, Real time, std::span<Real> out) {
  const Index nx = grid.size(0);
  // All pieces along a line of x, and the unknown to which each belongs.
  std::vector<Real> centres, widths;
  std::vector<Index> owner;
  for (Index i = 0; i < nx; ++i)
    for (const auto& piece : grid.axis(0).pieces(i)) {
      centres.push_back(piece.centre);
      widths.push_back(
          grid.axis(0).measure(piece.centre - 0.5 * piece.width, piece.centre + 0.5 * piece.width));
      owner.push_back(i);
    }
  const auto across = [&](int a, Index i) {
    return a < grid.rank() ? grid.axis(a).pieces(i) : std::vector<Axis::Piece>{{0, 1}};
  };
  const auto measure = [&](int a, const Axis::Piece& p) {
    return a < grid.rank() ? grid.axis(a).measure(p.centre - 0.5 * p.width, p.centre + 0.5 * p.width) : 1.0;
  };
  Points places(static_cast<Index>(centres.size()));
  places.coordinate(grid.slot(0)) = centres;
  std::vector<Real> values(centres.size());
  for (Index k = 0; k < grid.size(2); ++k)
    for (Index j = 0; j < grid.size(1); ++j) {
      Real* row = out.data() + grid.number(0, j, k);
      std::fill(row, row + nx, 0.0);
      for (const auto& p : across(1, j))
        for (const auto& q : across(2, k)) {
          if (grid.rank() > 1) places.coordinate(grid.slot(1)).assign(centres.size(), p.centre);
          if (grid.rank() > 2) places.coordinate(grid.slot(2)).assign(centres.size(), q.centre);
          function.evaluate(places, time, values);
          for (std::size_t s = 0; s < centres.size(); ++s)
            row[owner[s]] += values[s] * widths[s] * measure(1, p) * measure(2, q);
        }
    }
}

}  // namespace williwaw
