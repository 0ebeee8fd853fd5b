// Coarser levels of planes: every unknown is joined to its eight neighbours, in single precision.
#pragma once

#include "solve/multigrid/wavefront.hpp"

namespace williwaw {

/// A line of a level, as those who make the next one read it; index 0: its even places, 1: its odd ones.
struct NineLine {
  /// Conductances to the neighbours in the west, the south, the south-west and the south-east.
  const float *west[2], *south[2], *south_west[2], *south_east[2];
  /// The excess is what the diagonal has more than all conductances: boundaries and storage.
  const float *diagonal[2], *inverse[2], *excess[2];
  /// What places between two coarse ones take of the one before and after them: even places of odd lines,
  /// odd places of even lines.
  const float *low, *high;
};

/// One level. Of its places (odd, odd) the next level is made; the others lie on edges between two of
/// those, or, both even, in the middle of four.
class NinePoint {
 public:
  /// Room for so many unknowns, nothing joined to what lies beyond.
  void lay_out(Index width, Index lines, int threads);
  Index width() const { return x.width(); }
  Index lines() const { return x.lines(); }
  int threads() const { return threads_; }
  /// Diagonals and weights of all lines, from conductances and excesses.
  void finish();
  NineLine line(Index l) const;
  /// Unknowns of a line in their natural order, zeros beyond its ends.
  float* natural(Index l) { return natural_.data() + padded_half(width()) * (l + 1) + half_padding; }

  /// From zero: one sweep in four colours, what is left of b, and that gathered for the next level.
  void go_down(NinePoint& next);
  /// Adds what the next level found, and one sweep more.
  void come_up(NinePoint& next);

  SplitLines<float> west, south, south_west, south_east, excess, diagonal, inverse, low, high, x, b;

 private:
  void relax(Index l, int odd);
  void find_residual(Index l);
  void gather(Index l, NinePoint& next);
  void correct(Index l, NinePoint& next);

  int threads_ = 1;
  Room<float> natural_;
  PassingLines even_, odd_;
};

/// The numbers of a line in their natural order to halves, and back.
void split_line(Index width, const float* natural, float* even, float* odd);
void join_line(Index width, const float* even, const float* odd, float* natural);

}  // namespace williwaw
