// Sweeps over lines of the finest level of a plane: unknowns joined to four neighbours, in double precision.
#pragma once

#include "solve/multigrid/nine_point.hpp"

namespace williwaw::fine_plane {

/// A symmetric system: row n is excess·x_n + Σ conductance·(x_n − x_neighbour), which rounds by the
/// differences of neighbours. `west` and `south` join an unknown to the one before it and to the one below;
/// `share` is, of edges only, 1 over what joins them to the coarse places beside them and to boundaries.
struct System {
  const SplitLines<double>&west, &south, &excess;
  const SplitLines<float>& share;
};

/// A line of a FaceSystem.
struct NaturalLine {
  Index width;
  double scale;
  const double *diagonal, *lower_x, *upper_x, *lower_y, *upper_y;
  const double* upper_y_below;  // null on the first line
  const char* prescribed;       // null: none is
};

struct Judged {
  bool symmetric, signs, fixed;
};

/// Writes a scaled line of a system.
Judged load_line(const NaturalLine& natural, Index line, const System& to);
/// Natural numbers less their mean, scaled, to halves, prescribed ones as zeros; and scaled back.
void split_scaled(Index width, double scale, double mean, const double* natural, const char* prescribed,
                  double* even, double* odd);
void join_scaled(Index width, double scale, const double* even, const double* odd, double* natural);

/// Half a line with all that its equations read; of `beside` entry m stands west of place m, m + 1 east of
/// it.
struct Half {
  Index count;
  double* x;
  const double *beside, *below, *above;
  const double *west, *east, *south, *north;
  const double *excess, *b;
};
Half half_of(const System& system, const SplitLines<double>& b, const SplitLines<double>& x, Index line,
             int odd);

void relax(const Half& half);
/// Writes b − A·x, or that over the diagonal; returns the sum of squares of the residual.
Real residual(const Half& half, float* out);
Real residual_over_diagonal(const Half& half, float* out);
/// edges[m] = share·(west·middles[m] + east·middles[m + 1])
void to_edges(Index count, const float* share, const double* west, const double* east, const float* middles,
              float* edges);

/// What a coarse line gathers from three fine ones.
struct Gathered {
  Index evens, odds;
  const float* share;
  const double *edge_south, *edge_north;      // of the edges on the line
  const double *west, *east, *south, *north;  // of the coarse places
  const float *own, *middles_below, *middles_above, *edges_below, *edges_above;
  float *work, *out;
};
void gather(const Gathered& gathered);
/// x[m] += factor·share·(low·before[m] + high·after[m])
void add_between(Index count, float factor, const float* share, const double* low, const double* high,
                 const float* before, const float* after, double* x);

/// x = a·x + b·later + c·earlier, kept in `earlier` too.
void combine(Index count, double a, double b, double c, double* x, const double* later, double* earlier);
void combine(Index count, float a, float b, float c, float* x, const float* later, float* earlier);
/// Sum of squares of diagonal·x.
Real square_of_terms(const Half& half);

/// The first coarse level.
void coarsen(const System& system, NinePoint& coarse);

}  // namespace williwaw::fine_plane
