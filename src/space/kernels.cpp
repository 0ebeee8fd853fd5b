#include "kernels.hpp"

#include <algorithm>
#include <cmath>
#include <type_traits>

#include "../grid/clones.hpp"

namespace williwaw::kernels {

namespace {

// What flows into a unit of volume from the neighbours across lines.
template <int rank>
[[gnu::always_inline]] inline Real across(const SeparableLine& l, Index i, Real u) {
  Real sum = 0;
  if constexpr (rank > 1) sum += l.south * (l.next.south[i] - u) + l.north * (l.next.north[i] - u);
  if constexpr (rank > 2) sum += l.bottom * (l.next.bottom[i] - u) + l.top * (l.next.top[i] - u);
  return sum;
}

template <int rank>
[[gnu::always_inline]] inline Real across(const GeneralLine& l, Index i, Real u) {
  Real sum = 0;
  if constexpr (rank > 1) sum += l.south[i] * (l.next.south[i] - u) + l.north[i] * (l.next.north[i] - u);
  if constexpr (rank > 2) sum += l.bottom[i] * (l.next.bottom[i] - u) + l.top[i] * (l.next.top[i] - u);
  return sum;
}

[[gnu::always_inline]] inline Real along(const SeparableLine& l, Index i, Real u, Real low, Real high) {
  return l.x * (l.before[i] * (low - u) + l.after[i] * (high - u));
}

// Between the ends of a uniform line one number does for all; long lines of geometry would not stay in cache.
struct UniformLine : SeparableLine {
  explicit UniformLine(const SeparableLine& l) : SeparableLine(l), coupling(l.x * l.before[1]) {}
  Real coupling;
};

[[gnu::always_inline]] inline Real inside(const UniformLine& l, Index, Real u, Real low, Real high) {
  return l.coupling * ((low - u) + (high - u));
}

[[gnu::always_inline]] inline Real along(const GeneralLine& l, Index i, Real u, Real low, Real high) {
  return l.x[i] * (low - u) + l.x[i + 1] * (high - u);
}

template <class Line>
[[gnu::always_inline]] inline Real inside(const Line& l, Index i, Real u, Real low, Real high) {
  return along(l, i, u, low, high);
}

// `finish(i, inflow)` turns the inflow of unknown i into what is stored. Ends have a wall (coefficient 0) or
// the other end as their neighbour; the loop between them is free of both.
template <int rank, class Line, class Finish>
[[gnu::always_inline]] inline void ends(const Line& l, Real* __restrict out, const Finish& finish) {
  const Index n = l.count;
  const Real* u = l.u;
  const Real before_first = l.periodic ? u[n - 1] : u[0], after_last = l.periodic ? u[0] : u[n - 1];
  out[0] = finish(0, along(l, 0, u[0], before_first, n > 1 ? u[1] : after_last) + across<rank>(l, 0, u[0]));
  if (n > 1)
    out[n - 1] =
        finish(n - 1, along(l, n - 1, u[n - 1], u[n - 2], after_last) + across<rank>(l, n - 1, u[n - 1]));
}

struct Uncounted {
  template <int rank, class Line, class Finish>
  [[gnu::always_inline]] static void sweep(const Line& l, Real* __restrict out, const Finish& finish, Totals*,
                                           const Real*, const Real*) {
    ends<rank>(l, out, finish);
    const Real* u = l.u;
#pragma omp simd
    for (Index i = 1; i < l.count - 1; ++i)
      out[i] = finish(i, inside(l, i, u[i], u[i - 1], u[i + 1]) + across<rank>(l, i, u[i]));
  }
};

// Sums are of weight·u, weight·|u| and width·u; what weights mean is the caller's affair. Without weights all
// are 1.
struct Counted {
  template <int rank, class Line, class Finish>
  [[gnu::always_inline]] static void sweep(const Line& l, Real* __restrict out, const Finish& finish,
                                           Totals* totals, const Real* weights, const Real* widths) {
    ends<rank>(l, out, finish);
    const Real* u = l.u;
    Real content = 0, gross = 0, integral = 0, lowest = totals->lowest, highest = totals->highest;
#pragma omp simd reduction(+ : content, gross, integral) reduction(min : lowest) reduction(max : highest)
    for (Index i = 1; i < l.count - 1; ++i) {
      const Real v = finish(i, inside(l, i, u[i], u[i - 1], u[i + 1]) + across<rank>(l, i, u[i]));
      out[i] = v;
      if constexpr (std::is_same_v<Line, GeneralLine>) content += weights[i] * v;
      if constexpr (std::is_same_v<Line, UniformLine>) {
        gross += std::abs(v);
        integral += v;
      } else {
        gross += weights[i] * std::abs(v);
        integral += widths[i] * v;
      }
      lowest = v < lowest ? v : lowest;
      highest = v > highest ? v : highest;
    }
    totals->content = std::is_same_v<Line, GeneralLine> ? content : integral;
    totals->gross = gross;
    totals->integral = integral;
    totals->lowest = lowest;
    totals->highest = highest;
  }
};

template <class Mode, class Line, class Finish>
[[gnu::always_inline]] inline void by_rank(const Line& l, int rank, Real* out, const Finish& finish,
                                           Totals* totals = nullptr, const Real* weights = nullptr,
                                           const Real* widths = nullptr) {
  if (rank == 1)
    Mode::template sweep<1>(l, out, finish, totals, weights, widths);
  else if (rank == 2)
    Mode::template sweep<2>(l, out, finish, totals, weights, widths);
  else
    Mode::template sweep<3>(l, out, finish, totals, weights, widths);
}

}  // namespace

WILLIWAW_CLONES
void step_separable(const SeparableLine& line, int rank, Real scale, Real* out) {
  const Real* u = line.u;
  const auto finish = [u, scale](Index i, Real inflow) { return u[i] + scale * inflow; };
  if (line.uniform)
    by_rank<Uncounted>(UniformLine(line), rank, out, finish);
  else
    by_rank<Uncounted>(SeparableLine(line), rank, out, finish);
}

WILLIWAW_CLONES
Totals step_separable_counted(const SeparableLine& line, int rank, Real scale, const Real* widths,
                              Real across, Real storage, Real* out) {
  const Real* u = line.u;
  const auto finish = [u, scale](Index i, Real inflow) { return u[i] + scale * inflow; };
  Totals totals;
  if (line.uniform) {
    by_rank<Counted>(UniformLine(line), rank, out, finish, &totals);
    totals.integral *= widths[1];
    totals.content *= widths[1];
    totals.gross *= widths[1];
  } else {
    by_rank<Counted>(SeparableLine(line), rank, out, finish, &totals, widths, widths);
  }
  totals.integral *= across;
  totals.content *= storage * across;
  totals.gross *= storage * across;
  return totals;
}

WILLIWAW_CLONES
void rate_separable(const SeparableLine& line, int rank, Real scale, const Real* widths, Real* out) {
  by_rank<Uncounted>(SeparableLine(line), rank, out,
                     [widths, scale](Index i, Real inflow) { return widths[i] * scale * inflow; });
}

WILLIWAW_CLONES
void step_general(const GeneralLine& line, int rank, Real step, const Real* capacity, Real* out) {
  const GeneralLine l = line;
  by_rank<Uncounted>(l, rank, out, [&l, step, capacity](Index i, Real inflow) {
    return l.u[i] + step * inflow / capacity[i];
  });
}

WILLIWAW_CLONES
Totals step_general_counted(const GeneralLine& line, int rank, Real step, const Real* capacity,
                            const Real* widths, Real across, Real* out) {
  const GeneralLine l = line;
  Totals totals;
  by_rank<Counted>(
      l, rank, out,
      [&l, step, capacity](Index i, Real inflow) { return l.u[i] + step * inflow / capacity[i]; }, &totals,
      capacity, widths);
  totals.integral *= across;
  return totals;
}

WILLIWAW_CLONES
void rate_general(const GeneralLine& line, int rank, Real* out) {
  const GeneralLine l = line;
  by_rank<Uncounted>(l, rank, out, [](Index, Real inflow) { return inflow; });
}

namespace {

template <int rank, class Line, class Weight>
[[gnu::always_inline]] inline Swing swing(const Line& l, Real* __restrict out, const Weight& weight,
                                          const Real* widths) {
  const Real* u = l.u;
  Real kinetic = 0, potential = 0, integral = 0, lowest = INFINITY, highest = -INFINITY;
#pragma omp simd reduction(+ : kinetic, potential, integral) reduction(min : lowest) reduction(max : highest)
  for (Index i = 1; i < l.count - 1; ++i) {
    const Real inflow = inside(l, i, u[i], u[i - 1], u[i + 1]) + across<rank>(l, i, u[i]);
    const Real v = 2 * u[i] - out[i] + weight.scale(i) * inflow;
    out[i] = v;
    kinetic += weight.inertia(i) * (v - u[i]) * (v - u[i]);
    potential -= weight.volume(i) * v * inflow;
    if constexpr (std::is_same_v<Line, UniformLine>)
      integral += v;
    else
      integral += widths[i] * v;
    lowest = v < lowest ? v : lowest;
    highest = v > highest ? v : highest;
  }
  return {kinetic, potential, integral, lowest, highest};
}

// Sums of uniform lines are weighted once, at their end.
struct Even {
  Real step;
  Real scale(Index) const { return step; }
  Real inertia(Index) const { return 1; }
  Real volume(Index) const { return 1; }
};
struct ByWidth {
  Real step;
  const Real* widths;
  Real scale(Index) const { return step; }
  Real inertia(Index i) const { return widths[i]; }
  Real volume(Index i) const { return widths[i]; }
};
struct ByCapacity {
  Real step;
  const Real* capacity;
  Real scale(Index i) const { return step / capacity[i]; }
  Real inertia(Index i) const { return capacity[i]; }
  Real volume(Index) const { return 1; }
};

template <class Line, class Weight>
[[gnu::always_inline]] inline Swing swing_by_rank(const Line& l, int rank, Real* out, const Weight& weight,
                                                  const Real* widths) {
  if (rank == 1) return swing<1>(l, out, weight, widths);
  if (rank == 2) return swing<2>(l, out, weight, widths);
  return swing<3>(l, out, weight, widths);
}

}  // namespace

namespace {
template <class Line>
Real inflow_at(const Line& l, int rank, Index i) {
  const Index n = l.count;
  const Real* u = l.u;
  const Real low = i > 0        ? u[i - 1]
                   : l.periodic ? u[n - 1]
                                : u[i],
             high = i + 1 < n    ? u[i + 1]
                    : l.periodic ? u[0]
                                 : u[i];
  const Real sum = along(l, i, u[i], low, high);
  if (rank == 1) return sum;
  return sum + (rank == 2 ? across<2>(l, i, u[i]) : across<3>(l, i, u[i]));
}
}  // namespace

Real inflow_separable(const SeparableLine& line, int rank, Index i) {
  return inflow_at(line, rank, i);
}

Real inflow_general(const GeneralLine& line, int rank, Index i) {
  return inflow_at(line, rank, i);
}

WILLIWAW_CLONES
Swing leap_separable(const SeparableLine& line, int rank, Real scale, const Real* widths, Real* out) {
  if (!line.uniform) return swing_by_rank(SeparableLine(line), rank, out, ByWidth{scale, widths}, widths);
  Swing s = swing_by_rank(UniformLine(line), rank, out, Even{scale}, widths);
  s.kinetic *= widths[1];
  s.potential *= widths[1];
  s.integral *= widths[1];
  return s;
}

WILLIWAW_CLONES
Swing leap_general(const GeneralLine& line, int rank, Real scale, const Real* capacity, const Real* widths,
                   Real* out) {
  return swing_by_rank(GeneralLine(line), rank, out, ByCapacity{scale, capacity}, widths);
}

WILLIWAW_CLONES
Swing leap_general_even(const GeneralLine& line, int rank, Real scale, Real capacity, const Real* widths,
                        Real* out) {
  Swing s = swing_by_rank(GeneralLine(line), rank, out, Even{scale / capacity}, widths);
  s.kinetic *= capacity;
  return s;
}

namespace {
template <class Capacity>
[[gnu::always_inline]] inline Swing leap_known(Index count, const Real* u, const Real* pair,
                                               const Real* force, Real scale, const Capacity& capacity,
                                               const Real* widths, Real* __restrict out) {
  Real kinetic = 0, potential = 0, integral = 0, lowest = INFINITY, highest = -INFINITY;
#pragma omp simd reduction(+ : kinetic, potential, integral) reduction(min : lowest) reduction(max : highest)
  for (Index i = 0; i < count; ++i) {
    const Real c = capacity(i), v = 2 * u[i] - out[i] + scale * force[i] / c;
    out[i] = v;
    kinetic += c * (v - u[i]) * (v - u[i]);
    potential -= v * pair[i];
    integral += widths[i] * v;
    lowest = v < lowest ? v : lowest;
    highest = v > highest ? v : highest;
  }
  return {kinetic, potential, integral, lowest, highest};
}
}  // namespace

WILLIWAW_CLONES
Swing leap_with(Index count, const Real* u, const Real* pair, const Real* force, Real scale, Real storage,
                const Real* capacity, const Real* widths, Real* out) {
  if (capacity)
    return leap_known(
        count, u, pair, force, scale, [=](Index i) { return capacity[i]; }, widths, out);
  return leap_known(
      count, u, pair, force, scale, [=](Index i) { return storage * widths[i]; }, widths, out);
}

WILLIWAW_CLONES
Totals total(Index count, const Real* u, const Real* widths, Real across, Real storage,
             const Real* capacity) {
  Real content = 0, gross = 0, integral = 0;
  Real lowest = u[0], highest = u[0];
  if (capacity) {
#pragma omp simd reduction(+ : content, gross, integral) reduction(min : lowest) reduction(max : highest)
    for (Index i = 0; i < count; ++i) {
      content += capacity[i] * u[i];
      gross += capacity[i] * std::abs(u[i]);
      integral += widths[i] * u[i];
      lowest = u[i] < lowest ? u[i] : lowest;
      highest = u[i] > highest ? u[i] : highest;
    }
    integral *= across;
  } else {
#pragma omp simd reduction(+ : gross, integral) reduction(min : lowest) reduction(max : highest)
    for (Index i = 0; i < count; ++i) {
      const Real amount = widths[i] * u[i];
      integral += amount;
      gross += std::abs(amount);
      lowest = u[i] < lowest ? u[i] : lowest;
      highest = u[i] > highest ? u[i] : highest;
    }
    integral *= across;
    content = storage * integral;
    gross *= storage * across;
  }
  Totals result;
  result.content = content;
  result.gross = gross;
  result.integral = integral;
  result.lowest = lowest;
  result.highest = highest;
  return result;
}

WILLIWAW_CLONES void combine(Index count, const Real* start, const Real* u, Real share, const Real* flow,
                             Real scale, const Real* width, Real* __restrict out) {
  const Real rest = 1 - share;
  for (Index i = 0; i < count; ++i) out[i] = rest * start[i] + share * u[i] + scale * flow[i] / width[i];
}

}  // namespace williwaw::kernels
