#include "nine_point.hpp"

#include "grid/threads.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw {

namespace {

// Half a line with all that its equations read: of lists of neighbours in other halves entry m stands west of
// place m, entry m + 1 east of it.
struct Half {
  Index count;
  float* x;
  const float *beside, *below, *above, *below_beside, *above_beside;
  const float *west, *east, *south, *north, *south_west, *south_east, *north_west, *north_east;
  const float *diagonal, *inverse, *b;
};

Half half_of(const NinePoint& level, Index l, int odd) {
  const int other = 1 - odd;
  const Index shift = odd - 1;
  return {level.x.count(odd),
          level.x.half(l, odd),
          level.x.half(l, other) + shift,
          level.x.half(l - 1, odd),
          level.x.half(l + 1, odd),
          level.x.half(l - 1, other) + shift,
          level.x.half(l + 1, other) + shift,
          level.west.half(l, odd),
          level.west.half(l, other) + odd,
          level.south.half(l, odd),
          level.south.half(l + 1, odd),
          level.south_west.half(l, odd),
          level.south_east.half(l, odd),
          level.south_east.half(l + 1, other) + shift,
          level.south_west.half(l + 1, other) + odd,
          level.diagonal.half(l, odd),
          level.inverse.half(l, odd),
          level.b.half(l, odd)};
}

WILLIWAW_INLINE inline float around(const Half& h, Index m) {
  return h.west[m] * h.beside[m] + h.east[m] * h.beside[m + 1] + h.south[m] * h.below[m] +
         h.north[m] * h.above[m] + h.south_west[m] * h.below_beside[m] +
         h.south_east[m] * h.below_beside[m + 1] + h.north_west[m] * h.above_beside[m] +
         h.north_east[m] * h.above_beside[m + 1];
}

WILLIWAW_CLONES
void relax_half(const Half& half) {
  const Half h = half;
#pragma omp simd
  for (Index m = 0; m < h.count; ++m) h.x[m] = h.inverse[m] * (h.b[m] + around(h, m));
}

WILLIWAW_CLONES
void residual_half(const Half& half, float* __restrict out) {
  const Half h = half;
#pragma omp simd
  for (Index m = 0; m < h.count; ++m) out[m] = h.b[m] - h.diagonal[m] * h.x[m] + around(h, m);
}

// Middles are eliminated: what is left of them, over their diagonal, acts on the edges beside them.
WILLIWAW_CLONES
void eliminate_middles(Index evens, Index odds, const float* inverse, const float* west, const float* east,
                       float* middles, float* __restrict edges) {
#pragma omp simd
  for (Index m = 0; m < evens; ++m) middles[m] *= inverse[m];
  middles[evens] = 0;
#pragma omp simd
  for (Index m = 0; m < odds; ++m) edges[m] += west[m] * middles[m] + east[m] * middles[m + 1];
}

// What a coarse line gathers.
struct Gathered {
  Index evens, odds;
  const float *own, *edges, *middles_below, *middles_above, *edges_below, *edges_above;
  const float *south, *north;                                      // of the edges on the line
  const float *low, *high, *high_below, *low_above;                // weights
  const float *south_west, *south_east, *north_west, *north_east;  // of the coarse places
  float *work, *out;
};

WILLIWAW_CLONES
void gather_line(const Gathered& gathered) {
  const Gathered g = gathered;
#pragma omp simd
  for (Index m = 0; m < g.evens; ++m)
    g.work[m] = g.edges[m] + g.south[m] * g.middles_below[m] + g.north[m] * g.middles_above[m];
  g.work[g.evens] = 0;
#pragma omp simd
  for (Index m = 0; m < g.odds; ++m)
    g.out[m] = g.own[m] + g.high[m] * g.work[m] + g.low[m + 1] * g.work[m + 1] +
               g.high_below[m] * g.edges_below[m] + g.low_above[m] * g.edges_above[m] +
               g.south_west[m] * g.middles_below[m] + g.south_east[m] * g.middles_below[m + 1] +
               g.north_west[m] * g.middles_above[m] + g.north_east[m] * g.middles_above[m + 1];
}

// x[m] += low·before[m] + high·after[m]
WILLIWAW_CLONES
void add_between(Index count, const float* low, const float* before, const float* high, const float* after,
                 float* x) {
#pragma omp simd
  for (Index m = 0; m < count; ++m) x[m] += low[m] * before[m] + high[m] * after[m];
}

WILLIWAW_CLONES
void add_to(Index count, const float* from, float* x) {
#pragma omp simd
  for (Index m = 0; m < count; ++m) x[m] += from[m];
}

// Half a line to be finished.
struct Unfinished {
  Half half;
  const float* excess;
  float *diagonal, *inverse;
};

WILLIWAW_CLONES
void find_diagonal(const Unfinished& unfinished) {
  const Unfinished u = unfinished;
  const Half h = u.half;
#pragma omp simd
  for (Index m = 0; m < h.count; ++m) {
    const float sum = h.west[m] + h.east[m] + h.south[m] + h.north[m] + h.south_west[m] + h.south_east[m] +
                      h.north_west[m] + h.north_east[m] + (u.excess[m] > 0 ? u.excess[m] : 0);
    u.diagonal[m] = sum;
    u.inverse[m] = sum > 0 ? 1 / sum : 0;
  }
}

// Weights of edges: conductances to either side over these, and what boundaries and storage take. Those along
// the edge's normal leave it where it is.
struct Edges {
  Index count;
  const float* excess;
  const float *low[3], *high[3];
  float *out_low, *out_high;
};

WILLIWAW_CLONES
void weigh_edges(const Edges& edges) {
  const Edges e = edges;
#pragma omp simd
  for (Index m = 0; m < e.count; ++m) {
    const float low = e.low[0][m] + e.low[1][m] + e.low[2][m],
                high = e.high[0][m] + e.high[1][m] + e.high[2][m];
    const float whole = low + high + (e.excess[m] > 0 ? e.excess[m] : 0);
    const float share = whole > 0 ? 1 / whole : 0;
    e.out_low[m] = share * low;
    e.out_high[m] = share * high;
  }
}

}  // namespace

WILLIWAW_CLONES
void split_line(Index width, const float* natural, float* even, float* odd) {
  const Index pairs = width / 2;
#pragma omp simd
  for (Index m = 0; m < pairs; ++m) {
    even[m] = natural[2 * m];
    odd[m] = natural[2 * m + 1];
  }
  if (width % 2 == 1) even[pairs] = natural[width - 1];
}

WILLIWAW_CLONES
void join_line(Index width, const float* even, const float* odd, float* natural) {
  const Index pairs = width / 2;
#pragma omp simd
  for (Index m = 0; m < pairs; ++m) {
    natural[2 * m] = even[m];
    natural[2 * m + 1] = odd[m];
  }
  if (width % 2 == 1) natural[width - 1] = even[pairs];
}

namespace {
// A sweep from zero, what is left, and gathering that.
constexpr int stages_down = 5;
constexpr int stages_up = 3;
}  // namespace

void NinePoint::lay_out(Index width, Index lines, int threads) {
  threads_ = threads_for(width * lines, threads);
  for (auto* numbers :
       {&west, &south, &south_west, &south_east, &excess, &diagonal, &inverse, &low, &high, &x, &b})
    numbers->lay_out(width, lines, threads_);
  const auto room = static_cast<std::size_t>(padded_half(width) * (lines + 2));
  natural_.make(room);
  std::fill_n(natural_.data(), room, 0.0f);
  const int blocks = wavefront_blocks(lines, stages_down, threads_);
  even_.lay_out(x.evens() + 1, lines, stages_down, blocks);
  odd_.lay_out(x.evens() + 1, lines, stages_down, blocks);
}

NineLine NinePoint::line(Index l) const {
  const int between = l % 2 == 0 ? 1 : 0;
  NineLine result;
  for (const int odd : {0, 1}) {
    result.west[odd] = west.half(l, odd);
    result.south[odd] = south.half(l, odd);
    result.south_west[odd] = south_west.half(l, odd);
    result.south_east[odd] = south_east.half(l, odd);
    result.diagonal[odd] = diagonal.half(l, odd);
    result.inverse[odd] = inverse.half(l, odd);
    result.excess[odd] = excess.half(l, odd);
  }
  result.low = low.half(l, between);
  result.high = high.half(l, between);
  return result;
}

void NinePoint::finish() {
  const Index count = lines();
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index l = 0; l < count; ++l) {
    for (const int odd : {0, 1})
      find_diagonal(
          {half_of(*this, l, odd), excess.half(l, odd), diagonal.half(l, odd), inverse.half(l, odd)});
    const bool across = l % 2 == 1;  // edges along x on odd lines, along y on even ones
    const Half h = half_of(*this, l, across ? 0 : 1);
    weigh_edges(across ? Edges{h.count,
                               excess.even(l),
                               {h.west, h.south_west, h.north_west},
                               {h.east, h.south_east, h.north_east},
                               low.even(l),
                               high.even(l)}
                       : Edges{h.count,
                               excess.odd(l),
                               {h.south, h.south_west, h.south_east},
                               {h.north, h.north_west, h.north_east},
                               low.odd(l),
                               high.odd(l)});
  }
}

void NinePoint::relax(Index l, int odd) {
  relax_half(half_of(*this, l, odd));
}

void NinePoint::find_residual(Index l) {
  float *even = even_.line(l), *odd = odd_.line(l);
  residual_half(half_of(*this, l, 0), even);
  residual_half(half_of(*this, l, 1), odd);
  if (l % 2 == 0)
    eliminate_middles(x.evens(), x.odds(), inverse.even(l), west.odd(l), west.even(l) + 1, even, odd);
  else
    even[x.evens()] = 0;
}

void NinePoint::gather(Index l, NinePoint& next) {
  const auto [work, out] = work_lines(x.evens() + 1);
  gather_line({x.evens(),
               x.odds(),
               odd_.line(l),
               even_.line(l),
               even_.line(l - 1),
               even_.line(l + 1),
               odd_.line(l - 1),
               odd_.line(l + 1),
               south.even(l),
               south.even(l + 1),
               low.even(l),
               high.even(l),
               high.odd(l - 1),
               low.odd(l + 1),
               south_west.odd(l),
               south_east.odd(l),
               south_east.even(l + 1),
               south_west.even(l + 1) + 1,
               work,
               out});
  split_line(next.width(), out, next.b.even(l / 2), next.b.odd(l / 2));
}

void NinePoint::correct(Index l, NinePoint& next) {
  if (l % 2 == 1) {
    const float* coarse = next.natural(l / 2);
    add_between(x.evens(), low.even(l), coarse - 1, high.even(l), coarse, x.even(l));
    add_to(x.odds(), coarse, x.odd(l));
  } else {
    add_between(x.odds(), low.odd(l), next.natural(l / 2 - 1), high.odd(l), next.natural(l / 2), x.odd(l));
  }
}

void NinePoint::go_down(NinePoint& next) {
  wavefront(lines(), stages_down, wavefront_blocks(lines(), stages_down, threads_), [&](int stage, Index l) {
    switch (stage) {
      case 0:
        std::fill_n(x.even(l), x.evens(), 0.0f);
        std::fill_n(x.odd(l), x.odds(), 0.0f);
        break;
      case 1:
      case 2:
        if (l % 2 == stage - 1)
          for (const int odd : {0, 1}) relax(l, odd);
        break;
      case 3:
        find_residual(l);
        break;
      default:
        if (l % 2 == 1) gather(l, next);
    }
  });
}

void NinePoint::come_up(NinePoint& next) {
  wavefront(lines(), stages_up, wavefront_blocks(lines(), stages_down, threads_), [&](int stage, Index l) {
    if (stage == 0) {
      correct(l, next);
      return;
    }
    if (l % 2 != stage - 1) return;
    for (const int odd : {0, 1}) relax(l, odd);
    join_line(width(), x.even(l), x.odd(l), natural(l));
  });
}

}  // namespace williwaw
