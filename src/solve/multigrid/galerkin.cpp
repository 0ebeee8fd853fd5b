#include "galerkin.hpp"

#include "williwaw/grid/clones.hpp"

namespace williwaw {

namespace {

using Squares = Galerkin::Squares;

// Middles of a line and the four edges around each. Entry m of the weights and conductances is what stands
// with middle m, or with the edge west of it where so named.
struct AroundMiddles {
  Index count;
  const float *inverse, *excess, *south, *north, *west, *east;
  const float *south_west, *south_east, *north_west, *north_east;  // middles to coarse places
  const float *low_below, *high_below, *low_above, *high_above;    // of the edges below and above
  const float *low_beside, *high_beside;                           // of the edge east; entry −1: west
  // Between the edges below and above and those beside.
  const float *below_east, *below_west, *above_west, *above_east;
};

WILLIWAW_CLONES
void fill_squares(const AroundMiddles& around, const Squares& squares) {
  const AroundMiddles a = around;
  const Squares s = squares;
#pragma omp simd
  for (Index m = 0; m < a.count; ++m) {
    const float SL = a.low_below[m], SR = a.high_below[m], NL = a.low_above[m], NR = a.high_above[m];
    const float WS = a.low_beside[m - 1], WN = a.high_beside[m - 1], ES = a.low_beside[m],
                EN = a.high_beside[m];
    // How the middle hears of each coarse place.
    const float sw = a.south[m] * SL + a.west[m] * WS + a.south_west[m],
                se = a.south[m] * SR + a.east[m] * ES + a.south_east[m],
                nw = a.north[m] * NL + a.west[m] * WN + a.north_west[m],
                ne = a.north[m] * NR + a.east[m] * EN + a.north_east[m];
    const float i = a.inverse[m];
    const float se_edges = a.below_east[m], sw_edges = a.below_west[m], nw_edges = a.above_west[m],
                ne_edges = a.above_east[m];
    s.of[Squares::bottom][m] = i * sw * se + se_edges * SL * ES + sw_edges * SR * WS;
    s.of[Squares::top][m] = i * nw * ne + ne_edges * NL * EN + nw_edges * NR * WN;
    s.of[Squares::left][m] = i * sw * nw + sw_edges * SL * WN + nw_edges * NL * WS;
    s.of[Squares::right][m] = i * se * ne + se_edges * SR * EN + ne_edges * NR * ES;
    s.of[Squares::rising][m] = i * sw * ne + se_edges * SL * EN + nw_edges * NR * WS;
    s.of[Squares::falling][m] = i * se * nw + sw_edges * SR * WN + ne_edges * NL * ES;
    // Ones at all coarse places leave edges short of 1 by what boundaries and storage take, and rows with
    // what these take from them.
    const float below = 1 - SL - SR, over = 1 - NL - NR, before = 1 - WS - WN, after = 1 - ES - EN;
    const float middle =
        i * (a.excess[m] + a.south[m] * below + a.north[m] * over + a.west[m] * before + a.east[m] * after);
    const float to_below = se_edges * after + sw_edges * before,
                to_over = ne_edges * after + nw_edges * before,
                to_before = sw_edges * below + nw_edges * over, to_after = se_edges * below + ne_edges * over;
    s.of[Squares::south_west][m] = sw * middle + SL * to_below + WS * to_before;
    s.of[Squares::south_east][m] = se * middle + SR * to_below + ES * to_after;
    s.of[Squares::north_west][m] = nw * middle + NL * to_over + WN * to_before;
    s.of[Squares::north_east][m] = ne * middle + NR * to_over + EN * to_after;
  }
}

// A coarse line: the places themselves, the edges between them, and the squares below and above.
struct Assembling {
  Index count;
  const float* excess;
  // Edges on the line: entry m lies west of place m.
  const float *west, *east, *low, *high, *diagonal_along, *excess_along;
  // Edges below, and above.
  const float *south_below, *south, *low_below, *high_below, *diagonal_below, *excess_below;
  const float *north, *low_above, *high_above, *diagonal_above, *excess_above;
};

WILLIWAW_CLONES
void assemble_line(const Assembling& assembling, const Squares& below, const Squares& above,
                   const std::array<float*, 5>& made) {
  const Assembling a = assembling;
  const Squares lo = below, hi = above;
  const std::array<float*, 5> out = made;
#pragma omp simd
  for (Index m = 0; m < a.count; ++m) {
    const float along = a.diagonal_along[m], under = a.diagonal_below[m];
    out[0][m] = a.west[m] * a.high[m] + a.east[m] * a.low[m] - along * a.low[m] * a.high[m] +
                lo.of[Squares::top][m] + hi.of[Squares::bottom][m];
    out[1][m] = a.south_below[m] * a.high_below[m] + a.south[m] * a.low_below[m] -
                under * a.low_below[m] * a.high_below[m] + lo.of[Squares::right][m] +
                lo.of[Squares::left][m + 1];
    out[2][m] = lo.of[Squares::rising][m];
    out[3][m] = lo.of[Squares::falling][m + 1];
    const float west = 1 - a.low[m] - a.high[m], east = 1 - a.low[m + 1] - a.high[m + 1],
                south = 1 - a.low_below[m] - a.high_below[m], north = 1 - a.low_above[m] - a.high_above[m];
    out[4][m] =
        a.excess[m] + a.east[m] * west + a.high[m] * (a.excess_along[m] - along * west) +
        a.west[m + 1] * east + a.low[m + 1] * (a.excess_along[m + 1] - a.diagonal_along[m + 1] * east) +
        a.south[m] * south + a.high_below[m] * (a.excess_below[m] - under * south) + a.north[m] * north +
        a.low_above[m] * (a.excess_above[m] - a.diagonal_above[m] * north) + lo.of[Squares::north_east][m] +
        lo.of[Squares::north_west][m + 1] + hi.of[Squares::south_east][m] + hi.of[Squares::south_west][m + 1];
  }
}

}  // namespace

Galerkin::Galerkin(Index width, Index lines)
    : width_(width), lines_(lines), padded_(padded_half((width + 1) / 2 + 1)) {
  room_.assign(static_cast<std::size_t>(padded_ * (2 * Squares::kinds + 5)), 0.0f);
  float* next = room_.data() + half_padding;
  for (Squares& squares : squares_)
    for (float*& one : squares.of) {
      one = next;
      next += padded_;
    }
  for (float*& one : made_) {
    one = next;
    next += padded_;
  }
}

void Galerkin::add_squares(const NineLine& below, const NineLine& own, const NineLine& above, Index l,
                           Index which) {
  const Squares& squares = squares_[static_cast<std::size_t>(which)];
  const Index evens = (width_ + 1) / 2;
  if (l >= lines_) {
    for (float* one : squares.of) std::fill_n(one, evens + 1, 0.0f);
    return;
  }
  fill_squares({evens,
                own.inverse[0],
                own.excess[0],
                own.south[0],
                above.south[0],
                own.west[0],
                own.west[1],
                own.south_west[0],
                own.south_east[0],
                above.south_east[1] - 1,
                above.south_west[1],
                below.low,
                below.high,
                above.low,
                above.high,
                own.low,
                own.high,
                own.south_west[1],
                own.south_east[1] - 1,
                above.south_west[0],
                above.south_east[0]},
               squares);
  for (float* one : squares.of) one[evens] = 0;
}

void Galerkin::assemble(const NineLine& below, const NineLine& own, const NineLine& above, Index J,
                        NinePoint& coarse) {
  assemble_line({coarse.width(), own.excess[1], own.west[0], own.west[1], own.low, own.high, own.diagonal[0],
                 own.excess[0], below.south[1], own.south[1], below.low, below.high, below.diagonal[1],
                 below.excess[1], above.south[1], above.low, above.high, above.diagonal[1], above.excess[1]},
                squares_[static_cast<std::size_t>(J & 1)], squares_[static_cast<std::size_t>((J + 1) & 1)],
                made_);
  const std::array<SplitLines<float>*, 5> to{&coarse.west, &coarse.south, &coarse.south_west,
                                             &coarse.south_east, &coarse.excess};
  for (std::size_t k = 0; k < to.size(); ++k)
    split_line(coarse.width(), made_[k], to[k]->even(J), to[k]->odd(J));
}

namespace {
struct LevelLines {
  const NinePoint& level;
  NineLine line(Index l) const { return level.line(l); }
};
}  // namespace

void coarsen(const NinePoint& fine, NinePoint& coarse) {
  make_level(
      fine.width(), fine.lines(), [&] { return LevelLines{fine}; }, coarse);
}

}  // namespace williwaw
