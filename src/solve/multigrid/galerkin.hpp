// The next level of a plane: A on the space of what coarse places determine (Galerkin), middles eliminated.
#pragma once

#include <array>

#include "solve/multigrid/nine_point.hpp"

namespace williwaw {

/// Makes lines of a next level one after another. Source::line(l) gives line l of the finer level; at any
/// time lines l − 1 to l + 3 of an odd line l are asked for. Lines beyond the plane are zeros.
class Galerkin {
 public:
  Galerkin(Index width, Index lines);

  /// Coarse line J of the lines 2J − 1 to 2J + 3. `follows`: the last call was for J − 1.
  template <class Source>
  void make(Source& source, Index J, bool follows, NinePoint& coarse) {
    if (!follows)
      add_squares(source.line(2 * J - 1), source.line(2 * J), source.line(2 * J + 1), 2 * J, J & 1);
    add_squares(source.line(2 * J + 1), source.line(2 * J + 2), source.line(2 * J + 3), 2 * J + 2,
                (J + 1) & 1);
    assemble(source.line(2 * J), source.line(2 * J + 1), source.line(2 * J + 2), J, coarse);
  }

  /// Of four coarse places around a middle: what joins them, and what is added to the excess of each.
  struct Squares {
    enum { bottom, top, left, right, rising, falling, south_west, south_east, north_west, north_east, kinds };
    std::array<float*, kinds> of;
  };

 private:
  void add_squares(const NineLine& below, const NineLine& own, const NineLine& above, Index l, Index which);
  void assemble(const NineLine& below, const NineLine& own, const NineLine& above, Index J,
                NinePoint& coarse);

  Index width_, lines_, padded_;
  std::vector<float> room_;
  std::array<Squares, 2> squares_;
  std::array<float*, 5> made_;
};

/// All lines of a next level. make_source() gives each thread a source of its own.
template <class MakeSource>
void make_level(Index width, Index lines, const MakeSource& make_source, NinePoint& coarse) {
  const int threads = coarse.threads();
  const Index count = coarse.lines();
#pragma omp parallel num_threads(threads) if (threads > 1)
  {
    auto source = make_source();
    Galerkin galerkin(width, lines);
    Index last = -2;
#pragma omp for schedule(static)
    for (Index J = 0; J < count; ++J) {
      galerkin.make(source, J, last == J - 1, coarse);
      last = J;
    }
  }
}

void coarsen(const NinePoint& fine, NinePoint& coarse);

}  // namespace williwaw
