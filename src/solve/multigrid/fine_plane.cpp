#include "fine_plane.hpp"

#include <cfloat>
#include <cmath>

#include "domain/summing.hpp"
#include "solve/multigrid/galerkin.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw::fine_plane {

namespace {

// Steers sweeps only: single precision is enough.
WILLIWAW_INLINE inline float inverse_of(const Half& h, Index m) {
  const auto d = static_cast<float>(h.west[m] + h.east[m] + h.south[m] + h.north[m] + h.excess[m]);
  return 1 / (d > FLT_MIN ? d : FLT_MIN);
}

WILLIWAW_INLINE inline double left(const Half& h, Index m) {
  const double x = h.x[m];
  return h.b[m] - h.excess[m] * x + h.west[m] * (h.beside[m] - x) + h.east[m] * (h.beside[m + 1] - x) +
         h.south[m] * (h.below[m] - x) + h.north[m] * (h.above[m] - x);
}

}  // namespace

Half half_of(const System& s, const SplitLines<double>& b, const SplitLines<double>& x, Index l, int odd) {
  const int other = 1 - odd;
  return {x.count(odd),
          x.half(l, odd),
          x.half(l, other) + odd - 1,
          x.half(l - 1, odd),
          x.half(l + 1, odd),
          s.west.half(l, odd),
          s.west.half(l, other) + odd,
          s.south.half(l, odd),
          s.south.half(l + 1, odd),
          s.excess.half(l, odd),
          b.half(l, odd)};
}

WILLIWAW_CLONES
void relax(const Half& half) {
  const Half h = half;
#pragma omp simd
  for (Index m = 0; m < h.count; ++m) h.x[m] += static_cast<double>(inverse_of(h, m)) * left(h, m);
}

WILLIWAW_CLONES
Real residual(const Half& half, float* __restrict out) {
  const Half h = half;
  return segment_sum(0, h.count, [&](Index m) WILLIWAW_INLINE {
    const double r = left(h, m);
    out[m] = static_cast<float>(r);
    return r * r;
  });
}

WILLIWAW_CLONES
Real residual_over_diagonal(const Half& half, float* __restrict out) {
  const Half h = half;
  return segment_sum(0, h.count, [&](Index m) WILLIWAW_INLINE {
    const double r = left(h, m);
    out[m] = static_cast<float>(r) * inverse_of(h, m);
    return r * r;
  });
}

WILLIWAW_CLONES
void to_edges(Index count, const float* share, const double* west, const double* east, const float* middles,
              float* __restrict edges) {
#pragma omp simd
  for (Index m = 0; m < count; ++m)
    edges[m] =
        share[m] * (static_cast<float>(west[m]) * middles[m] + static_cast<float>(east[m]) * middles[m + 1]);
}

WILLIWAW_CLONES
void gather(const Gathered& gathered) {
  const Gathered g = gathered;
  const auto of = [](double conductance) WILLIWAW_INLINE { return static_cast<float>(conductance); };
#pragma omp simd
  for (Index m = 0; m < g.evens; ++m)
    g.work[m] =
        g.share[m] * (of(g.edge_south[m]) * g.middles_below[m] + of(g.edge_north[m]) * g.middles_above[m]);
  g.work[g.evens] = 0;
#pragma omp simd
  for (Index m = 0; m < g.odds; ++m)
    g.out[m] = g.own[m] + of(g.west[m]) * g.work[m] + of(g.east[m]) * g.work[m + 1] +
               of(g.south[m]) * g.edges_below[m] + of(g.north[m]) * g.edges_above[m];
}

WILLIWAW_CLONES
void add_between(Index count, float factor, const float* share, const double* low, const double* high,
                 const float* before, const float* after, double* x) {
#pragma omp simd
  for (Index m = 0; m < count; ++m)
    x[m] += static_cast<double>(
        factor * share[m] *
        (static_cast<float>(low[m]) * before[m] + static_cast<float>(high[m]) * after[m]));
}

WILLIWAW_CLONES
void combine(Index count, double a, double b, double c, double* x, const double* later, double* earlier) {
#pragma omp simd
  for (Index m = 0; m < count; ++m) earlier[m] = x[m] = a * x[m] + b * later[m] + c * earlier[m];
}

WILLIWAW_CLONES
void combine(Index count, float a, float b, float c, float* x, const float* later, float* earlier) {
#pragma omp simd
  for (Index m = 0; m < count; ++m) earlier[m] = x[m] = a * x[m] + b * later[m] + c * earlier[m];
}

WILLIWAW_CLONES
Real square_of_terms(const Half& half) {
  const Half h = half;
  return segment_sum(0, h.count, [&](Index m) WILLIWAW_INLINE {
    const double term = (std::abs(h.excess[m]) + h.west[m] + h.east[m] + h.south[m] + h.north[m]) * h.x[m];
    return term * term;
  });
}

WILLIWAW_CLONES
void split_scaled(Index width, double scale, double mean, const double* natural, const char* prescribed,
                  double* even, double* odd) {
  const Index pairs = width / 2;
  if (prescribed) {
    for (Index i = 0; i < width; ++i)
      (i % 2 == 0 ? even : odd)[i / 2] = prescribed[i] ? 0 : scale * (natural[i] - mean);
    return;
  }
#pragma omp simd
  for (Index m = 0; m < pairs; ++m) {
    even[m] = scale * (natural[2 * m] - mean);
    odd[m] = scale * (natural[2 * m + 1] - mean);
  }
  if (width % 2 == 1) even[pairs] = scale * (natural[width - 1] - mean);
}

WILLIWAW_CLONES
void join_scaled(Index width, double scale, const double* even, const double* odd, double* natural) {
  const Index pairs = width / 2;
#pragma omp simd
  for (Index m = 0; m < pairs; ++m) {
    natural[2 * m] = scale * even[m];
    natural[2 * m + 1] = scale * odd[m];
  }
  if (width % 2 == 1) natural[width - 1] = scale * even[pairs];
}

WILLIWAW_CLONES
Judged load_line(const NaturalLine& natural, Index line, const System& to) {
  const NaturalLine n = natural;
  double* const west[2] = {to.west.even(line), to.west.odd(line)};
  double* const south[2] = {to.south.even(line), to.south.odd(line)};
  double* const excess[2] = {to.excess.even(line), to.excess.odd(line)};
  // Edges: even places of odd lines, odd places of even lines.
  float* const share = to.share.half(line, line % 2 == 0 ? 1 : 0);
  int asymmetric = 0, positive = 0, fixed = 0;
  for (const int odd : {0, 1}) {
    const Index count = (n.width + 1 - odd) / 2;
    double *w = west[odd], *s = south[odd], *e = excess[odd];
#pragma omp simd reduction(+ : asymmetric, positive, fixed)
    for (Index m = 0; m < count; ++m) {
      const Index i = 2 * m + odd, before = i > 0 ? i - 1 : 0;
      const double lx = n.lower_x[i], ux = n.upper_x[i], ly = n.lower_y[i], uy = n.upper_y[i];
      const double seen_x = i > 0 ? n.upper_x[before] : lx,
                   seen_y = n.upper_y_below ? n.upper_y_below[i] : ly;
      asymmetric +=
          std::abs(seen_x - lx) > 1e-9 * std::abs(lx) || std::abs(seen_y - ly) > 1e-9 * std::abs(ly);
      positive += lx > 0 || ux > 0 || ly > 0 || uy > 0;
      const double own = n.diagonal[i];
      const bool identity = n.prescribed && n.prescribed[i];
      // What round-off leaves of rows that sum to zero is no excess.
      const double sum = own + lx + ux + ly + uy, rest = std::abs(sum) > 1e-12 * own ? sum : 0;
      fixed += !identity && rest > 0;
      w[m] = -n.scale * lx;
      s[m] = -n.scale * ly;
      e[m] = identity ? 1 : n.scale * rest;
    }
  }
  const int odd = line % 2 == 0 ? 1 : 0;
  const Index count = (n.width + 1 - odd) / 2;
  const double *along_low = odd ? n.lower_y : n.lower_x, *along_high = odd ? n.upper_y : n.upper_x,
               *off_low = odd ? n.lower_x : n.lower_y, *off_high = odd ? n.upper_x : n.upper_y;
#pragma omp simd
  for (Index m = 0; m < count; ++m) {
    const Index i = 2 * m + odd;
    const double both = -along_low[i] - along_high[i], rest = n.diagonal[i] + off_low[i] + off_high[i];
    const double whole = rest > both ? rest : both;
    share[m] = whole > 0 ? static_cast<float>(1 / (n.scale * whole)) : 0;
  }
  return {asymmetric == 0, positive == 0, fixed > 0};
}

namespace {

// Lines of the finest level in single precision, a few at a time, with weights as coarser levels have them.
class SingleLines {
 public:
  explicit SingleLines(const System& system)
      : system_(system), padded_(padded_half(system.west.evens() + 1)) {
    numbers_.assign(static_cast<std::size_t>(padded_ * lists * kept), 0.0f);
    filled_.fill(-2);
  }

  NineLine line(Index l) {
    const auto slot = static_cast<std::size_t>(l & (kept - 1));
    if (filled_[slot] != l) {
      fill(l);
      filled_[slot] = l;
    }
    const auto at = [&](Index list) { return start(l, list); };
    return {{at(0), at(1)}, {at(2), at(3)},   {at(4), at(4)}, {at(4), at(4)}, {at(5), at(6)},
            {at(7), at(8)}, {at(11), at(12)}, at(9),          at(10)};
  }

 private:
  static constexpr Index kept = 8, lists = 13;
  float* start(Index l, Index list) {
    return numbers_.data() + padded_ * (lists * (l & (kept - 1)) + list) + half_padding;
  }
  void fill(Index l);

  const System& system_;
  Index padded_;
  std::vector<float> numbers_;
  std::array<Index, kept> filled_{};
};

WILLIWAW_CLONES
void to_single(Index count, const double* from, float* to) {
#pragma omp simd
  for (Index m = 0; m < count; ++m) to[m] = static_cast<float>(from[m]);
}

WILLIWAW_CLONES
void find_diagonal(const Half& half, float* diagonal, float* inverse, float* excess) {
  const Half h = half;
#pragma omp simd
  for (Index m = 0; m < h.count; ++m) {
    const double over = h.excess[m] > 0 ? h.excess[m] : 0;
    diagonal[m] = static_cast<float>(h.west[m] + h.east[m] + h.south[m] + h.north[m] + over);
    inverse[m] = inverse_of(h, m);
    excess[m] = static_cast<float>(over);
  }
}

WILLIWAW_CLONES
void multiply(Index count, const float* share, const double* by, float* to) {
#pragma omp simd
  for (Index m = 0; m < count; ++m) to[m] = share[m] * static_cast<float>(by[m]);
}

void SingleLines::fill(Index l) {
  const Index lines = system_.west.lines();
  for (const int odd : {0, 1}) {
    const Index count = system_.west.count(odd);
    if (l < 0 || l >= lines) {
      // Beyond the plane.
      for (Index list = 0; list < lists; ++list) std::fill_n(start(l, list), system_.west.evens() + 1, 0.0f);
      return;
    }
    to_single(count, system_.west.half(l, odd), start(l, odd));
    to_single(count, system_.south.half(l, odd), start(l, 2 + odd));
    find_diagonal(half_of(system_, system_.excess, system_.excess, l, odd), start(l, 5 + odd),
                  start(l, 7 + odd), start(l, 11 + odd));
  }
  if (l % 2 == 1) {
    multiply(system_.west.evens(), system_.share.even(l), system_.west.even(l), start(l, 9));
    multiply(system_.west.evens(), system_.share.even(l), system_.west.odd(l), start(l, 10));
  } else {
    multiply(system_.west.odds(), system_.share.odd(l), system_.south.odd(l), start(l, 9));
    multiply(system_.west.odds(), system_.share.odd(l), system_.south.odd(l + 1), start(l, 10));
  }
}

}  // namespace

void coarsen(const System& system, NinePoint& coarse) {
  make_level(
      system.west.width(), system.west.lines(), [&] { return SingleLines(system); }, coarse);
}

}  // namespace williwaw::fine_plane
