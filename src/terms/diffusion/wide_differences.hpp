// Differences of order four in space, on uniform axes.
#pragma once

#include "williwaw/domain/layout.hpp"
#include "williwaw/problem/problem.hpp"

namespace williwaw {

/// ∇·(k∇u) by differences over four points, first of the unknown at the faces and then of the flux:
/// f'(0) = (27·(f(h/2) − f(−h/2)) − (f(3h/2) − f(−3h/2)))/(24h) (Levander, 1988). The operator is that of a
/// sum of squares of slopes, so that energy is conserved. Beyond a fixed end stands the mirror image upside
/// down, beyond a free one the image upright: what a wave sees there.
class WideDifferences {
 public:
  /// Throws InputError for axes that are not uniform, cut-outs, sources of flux and ends of other kinds.
  explicit WideDifferences(const Problem& problem);

  /// The force on every control volume.
  void force(std::span<const Real> u, State& out) const;

 private:
  enum class End { odd, even, periodic };
  struct Along {
    Index count = 0, faces = 0, stride = 1;
    Real spacing = 1;
    std::array<End, 2> ends{End::even, End::even};
    Real constant = 0;
    std::vector<Real> coefficient;  ///< at faces, line by line, where it varies
  };
  void add_line(const Along& along, Index first, const Real* coefficient, std::span<const Real> u, State& out,
                std::vector<Real>& values, std::vector<Real>& flux) const;
  End end_of(const Problem& problem, Side side) const;

  Grid grid_;
  bool nodes_;
  std::vector<Along> axes_;
};

}  // namespace williwaw
