#include "terms/diffusion/kernels.hpp"

#include <algorithm>
#include <cmath>
#include <type_traits>

#include "balance/lane_totals.hpp"

namespace williwaw::kernels {

namespace {

// What flows into a unit of volume from the neighbours across lines.
template <int dimension>
WILLIWAW_INLINE inline Real across(const SeparableLine& l, Index i, Real u) {
  Real sum = 0;
  if constexpr (dimension > 1) sum += l.south * (l.next.south[i] - u) + l.north * (l.next.north[i] - u);
  if constexpr (dimension > 2) sum += l.bottom * (l.next.bottom[i] - u) + l.top * (l.next.top[i] - u);
  return sum;
}

template <int dimension>
WILLIWAW_INLINE inline Real across(const GeneralLine& l, Index i, Real u) {
  Real sum = 0;
  if constexpr (dimension > 1) sum += l.south[i] * (l.next.south[i] - u) + l.north[i] * (l.next.north[i] - u);
  if constexpr (dimension > 2) sum += l.bottom[i] * (l.next.bottom[i] - u) + l.top[i] * (l.next.top[i] - u);
  return sum;
}

WILLIWAW_INLINE inline Real along(const SeparableLine& l, Index i, Real u, Real low, Real high) {
  return l.x * (l.before[i] * (low - u) + l.after[i] * (high - u));
}

// Between the ends of a uniform line one number does for all; long lines of geometry would not stay in cache.
struct UniformLine : SeparableLine {
  explicit UniformLine(const SeparableLine& l) : SeparableLine(l), conductance(l.x * l.before[1]) {}
  Real conductance;
};

WILLIWAW_INLINE inline Real inside(const UniformLine& l, Index, Real u, Real low, Real high) {
  return l.conductance * ((low - u) + (high - u));
}

WILLIWAW_INLINE inline Real along(const GeneralLine& l, Index i, Real u, Real low, Real high) {
  return l.x[i] * (low - u) + l.x[i + 1] * (high - u);
}

template <class Line>
WILLIWAW_INLINE inline Real inside(const Line& l, Index i, Real u, Real low, Real high) {
  return along(l, i, u, low, high);
}

// Calls each(i, inflow) for both ends of a line, which have a boundary (coefficient 0) or the other end as
// their neighbour.
template <int dimension, class Line, class Each>
WILLIWAW_INLINE inline void each_end(const Line& l, const Each& each) {
  const Index n = l.count;
  const Real* u = l.u;
  // Around a periodic line no place differs from another.
  const auto end = [&](Index i, Real low, Real high) WILLIWAW_INLINE {
    each(i, (l.periodic ? inside(l, i, u[i], low, high) : along(l, i, u[i], low, high)) +
                across<dimension>(l, i, u[i]));
  };
  const Real before_first = l.periodic ? u[n - 1] : u[0], after_last = l.periodic ? u[0] : u[n - 1];
  end(0, before_first, n > 1 ? u[1] : after_last);
  if (n > 1) end(n - 1, u[n - 2], after_last);
}

// The same for all unknowns of a line, each_at_end(i, inflow) at both ends.
template <int dimension, class Line, class Each, class EachAtEnd>
WILLIWAW_INLINE inline void each_inflow(const Line& l, const Each& each, const EachAtEnd& each_at_end) {
  const Real* u = l.u;
#pragma omp simd
  for (Index i = 1; i < l.count - 1; ++i)
    each(i, inside(l, i, u[i], u[i - 1], u[i + 1]) + across<dimension>(l, i, u[i]));
  each_end<dimension>(l, each_at_end);
}

template <class Line, class Each, class EachAtEnd>
WILLIWAW_INLINE inline void each_inflow(const Line& l, int dimension, const Each& each,
                                        const EachAtEnd& each_at_end) {
  if (dimension == 1)
    each_inflow<1>(l, each, each_at_end);
  else if (dimension == 2)
    each_inflow<2>(l, each, each_at_end);
  else
    each_inflow<3>(l, each, each_at_end);
}

template <class Line, class Each>
WILLIWAW_INLINE inline void each_inflow(const Line& l, int dimension, const Each& each) {
  each_inflow(l, dimension, each, each);
}

// What comes from memory is asked for so many unknowns ahead: at the end of a segment, where its sums are
// folded, the processor would otherwise wait for what follows.
constexpr Index ahead = 128;

template <int dimension>
WILLIWAW_INLINE inline void fetch(const SeparableLine& l, const Real* out, Index i) {
  // The line that no line before has looked at yet.
  __builtin_prefetch((dimension == 1 ? l.u : dimension == 2 ? l.next.north : l.next.top) + i + ahead);
  __builtin_prefetch(out + i + ahead, 1);
}

template <int dimension>
WILLIWAW_INLINE inline void fetch(const GeneralLine& l, const Real* out, Index i) {
  __builtin_prefetch((dimension == 1 ? l.u : dimension == 2 ? l.next.north : l.next.top) + i + ahead);
  __builtin_prefetch(l.x + i + ahead);
  if constexpr (dimension > 1) __builtin_prefetch(l.north + i + ahead);
  if constexpr (dimension > 2) __builtin_prefetch(l.top + i + ahead);
  __builtin_prefetch(out + i + ahead, 1);
}

// And of what is made in them.
template <class Sums>
struct WithMade {
  Sums sums;
  Made made;
  Real width;  // of each, where they are alike
  WILLIWAW_INLINE void add(LaneTotals& lanes, Index i, Index k, Real v) const {
    sums.add(lanes, i, k, v);
    if constexpr (std::is_same_v<Sums, EvenSums>)
      lanes.first[k] += made.densities[i];
    else
      lanes.first[k] += sums.widths[i] * made.densities[i];
  }
  WILLIWAW_INLINE void close(const LaneTotals& lanes, Totals& totals, Index segment) const {
    sums.close(lanes, totals, segment);
    made.of_segments[segment] += width * sum_of_lanes(lanes.first);
  }
};

// `finish_end` finishes both ends, `finish` what lies between.
template <int dimension, class Line, class FinishEnd, class Finish, class Sums>
WILLIWAW_INLINE inline void counted(const Line& l, Real* __restrict out, const FinishEnd& finish_end,
                                    const Finish& finish, const Sums& sums, Totals* of_segments) {
  const Real* u = l.u;
  each_segment(1, l.count - 1, [&](Index s, Index first, Index end) WILLIWAW_INLINE {
    LaneTotals lanes;
    by_lanes(
        first, end,
        [&](Index i, Index k) WILLIWAW_INLINE {
          const Real v = finish(i, inside(l, i, u[i], u[i - 1], u[i + 1]) + across<dimension>(l, i, u[i]));
          out[i] = v;
          sums.add(lanes, i, k, v);
          lanes.see(k, v);
        },
        [&](Index i) WILLIWAW_INLINE { fetch<dimension>(l, out, i); });
    sums.close(lanes, of_segments[s], s);
    lanes.extremes(of_segments[s]);
  });
  // At last, when the far end of the line is near in cache.
  each_end<dimension>(l, [&](Index i, Real inflow) WILLIWAW_INLINE { out[i] = finish_end(i, inflow); });
}

// `finish(i, inflow)` turns the inflow of unknown i into what is stored.
template <class Line, class Finish>
WILLIWAW_INLINE inline void by_dimension(const Line& l, int dimension, Real* out, const Finish& finish) {
  each_inflow(l, dimension,
              [&finish, out](Index i, Real inflow) WILLIWAW_INLINE { out[i] = finish(i, inflow); });
}

template <class Line, class FinishEnd, class Finish, class Sums>
WILLIWAW_INLINE inline void by_dimension(const Line& l, int dimension, Real* out, const FinishEnd& finish_end,
                                         const Finish& finish, const Sums& sums, Totals* of_segments) {
  if (dimension == 1)
    counted<1>(l, out, finish_end, finish, sums, of_segments);
  else if (dimension == 2)
    counted<2>(l, out, finish_end, finish, sums, of_segments);
  else
    counted<3>(l, out, finish_end, finish, sums, of_segments);
}

}  // namespace

namespace {

// What a step leaves of unknown i into whose unit of volume this flows, with and without what is made there.
struct Finish {
  const Real* u;
  Real scale;
  WILLIWAW_INLINE Real operator()(Index i, Real inflow) const { return u[i] + scale * inflow; }
};
struct FinishWithMade {
  const Real* u;
  Real scale;
  const Real* densities;
  Real rate;
  WILLIWAW_INLINE Real operator()(Index i, Real inflow) const {
    return u[i] + scale * inflow + rate * densities[i];
  }
};

template <class Take>
WILLIWAW_INLINE inline void by_made(const Real* u, Real scale, const Made& made, const Take& take) {
  if (made.densities)
    take(FinishWithMade{u, scale, made.densities, made.rate});
  else
    take(Finish{u, scale});
}

}  // namespace

WILLIWAW_CLONES
void step_separable(const SeparableLine& line, int dimension, Real scale, const Made& made, Real* out) {
  by_made(line.u, scale, made, [&](const auto& finish) WILLIWAW_INLINE {
    if (line.uniform)
      by_dimension(UniformLine(line), dimension, out, finish);
    else
      by_dimension(SeparableLine(line), dimension, out, finish);
  });
}

WILLIWAW_CLONES
void step_separable_counted(const SeparableLine& line, int dimension, Real scale, const Made& made,
                            const Real* widths, Real across, Real storage, Real* out, Totals* of_segments) {
  const EvenSums even{storage * across * widths[1], across * widths[1]};
  const SumsByWidth by_width{widths, storage * across, across};
  by_made(line.u, scale, made, [&](const auto& finish) WILLIWAW_INLINE {
    const auto take = [&](const auto& l, const auto& sums, Real width) WILLIWAW_INLINE {
      if constexpr (std::is_same_v<std::remove_cvref_t<decltype(finish)>, Finish>)
        by_dimension(l, dimension, out, finish, finish, sums, of_segments);
      else
        by_dimension(l, dimension, out, finish, finish,
                     WithMade<std::remove_cvref_t<decltype(sums)>>{sums, made, width}, of_segments);
    };
    if (line.uniform)
      take(UniformLine(line), even, widths[1]);
    else
      take(SeparableLine(line), by_width, 1);
  });
  if (!made.densities) return;
  for (const Index i : {Index{0}, line.count - 1})
    made.of_segments[i / segment_cells] += widths[i] * made.densities[i];
}

WILLIWAW_CLONES
void rate_separable(const SeparableLine& line, int dimension, Real scale, const Real* widths, Real* out) {
  by_dimension(SeparableLine(line), dimension, out,
               [widths, scale](Index i, Real inflow) WILLIWAW_INLINE { return widths[i] * scale * inflow; });
}

namespace {

// u[i] + scale·inflow/values[i]
struct StepByCapacity {
  const Real* u;
  Real scale;
  const Real* values;
  WILLIWAW_INLINE Real operator()(Index i, Real inflow) const { return u[i] + scale * inflow / values[i]; }
};

}  // namespace

WILLIWAW_CLONES
void step_general(const GeneralLine& line, int dimension, Real step, const Capacity& capacity, Real* out) {
  const StepByCapacity finish{line.u, step / capacity.factor, capacity.values};
  if (!capacity.even) {
    by_dimension(GeneralLine(line), dimension, out, finish);
    return;
  }
  // The very numbers that a line whose sums are taken at once gets.
  const Finish between{line.u, step / (capacity.factor * capacity.values[1])};
  each_inflow(
      GeneralLine(line), dimension,
      [&between, out](Index i, Real inflow) WILLIWAW_INLINE { out[i] = between(i, inflow); },
      [&finish, out](Index i, Real inflow) WILLIWAW_INLINE { out[i] = finish(i, inflow); });
}

WILLIWAW_CLONES
void step_general_counted(const GeneralLine& line, int dimension, Real step, const Capacity& capacity,
                          const Real* widths, Real across, Real* out, Totals* of_segments) {
  const StepByCapacity finish{line.u, step / capacity.factor, capacity.values};
  if (capacity.even)
    by_dimension(GeneralLine(line), dimension, out, finish,
                 Finish{line.u, step / (capacity.factor * capacity.values[1])},
                 EvenSums{capacity.factor * capacity.values[1], across * widths[1]}, of_segments);
  else if (capacity.values == widths)
    by_dimension(GeneralLine(line), dimension, out, finish, finish,
                 SumsByWidth{widths, capacity.factor, across}, of_segments);
  else
    by_dimension(GeneralLine(line), dimension, out, finish, finish,
                 SumsByCapacity{capacity.values, widths, across}, of_segments);
}

WILLIWAW_CLONES
void rate_general(const GeneralLine& line, int dimension, Real* out) {
  const GeneralLine l = line;
  by_dimension(l, dimension, out, [](Index, Real inflow) WILLIWAW_INLINE { return inflow; });
}

namespace {

WILLIWAW_INLINE inline void count_leapfrog_step(const LaneTotals& lanes, const Leap& leapfrog_step,
                                                Real even_width, Totals& totals) {
  totals.kinetic += leapfrog_step.kinetic * even_width * sum_of_lanes(lanes.first);
  totals.potential += leapfrog_step.potential * even_width * sum_of_lanes(lanes.second);
  totals.integral += leapfrog_step.across * even_width * sum_of_lanes(lanes.third);
  lanes.extremes(totals);
}

// Ends of a periodic line are like any other place; those of others are left to the caller.
template <int dimension, class Line, class Weight>
WILLIWAW_INLINE inline void swing(const Line& l, Real* __restrict out, const Weight& weight,
                                  const Leap& leapfrog_step, Real even_width, Totals* of_segments) {
  const Real* u = l.u;
  const Real* widths = leapfrog_step.widths;
  const auto move = [&](LaneTotals& lanes, Index i, Index k, Real low, Real high) WILLIWAW_INLINE {
    const Real inflow = inside(l, i, u[i], low, high) + across<dimension>(l, i, u[i]);
    const Real v = 2 * u[i] - out[i] + weight.scale(i) * inflow;
    out[i] = v;
    lanes.first[k] += weight.inertia(i) * (v - u[i]) * (v - u[i]);
    lanes.second[k] -= weight.volume(i) * v * inflow;
    if constexpr (std::is_same_v<Line, UniformLine>)
      lanes.third[k] += v;
    else
      lanes.third[k] += widths[i] * v;
    lanes.see(k, v);
  };
  const Index n = l.count;
  each_segment(1, n - 1, [&](Index s, Index first, Index end) WILLIWAW_INLINE {
    LaneTotals lanes;
    by_lanes(
        first, end, [&](Index i, Index k) WILLIWAW_INLINE { move(lanes, i, k, u[i - 1], u[i + 1]); },
        [&](Index i) WILLIWAW_INLINE { fetch<dimension>(l, out, i); });
    count_leapfrog_step(lanes, leapfrog_step, even_width, of_segments[s]);
  });
  if (!l.periodic) return;
  LaneTotals first, last;
  move(first, 0, 0, u[n - 1], u[1]);
  move(last, n - 1, 0, u[n - 2], u[0]);
  count_leapfrog_step(first, leapfrog_step, even_width, of_segments[0]);
  count_leapfrog_step(last, leapfrog_step, even_width, of_segments[(n - 1) / segment_cells]);
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
WILLIWAW_INLINE inline void swing_by_dimension(const Line& l, int dimension, Real* out, const Weight& weight,
                                               const Leap& leapfrog_step, Real even_width,
                                               Totals* of_segments) {
  if (dimension == 1)
    swing<1>(l, out, weight, leapfrog_step, even_width, of_segments);
  else if (dimension == 2)
    swing<2>(l, out, weight, leapfrog_step, even_width, of_segments);
  else
    swing<3>(l, out, weight, leapfrog_step, even_width, of_segments);
}

}  // namespace

namespace {
template <class Line>
Real inflow_at(const Line& l, int dimension, Index i) {
  const Index n = l.count;
  const Real* u = l.u;
  const Real low = i > 0        ? u[i - 1]
                   : l.periodic ? u[n - 1]
                                : u[i],
             high = i + 1 < n    ? u[i + 1]
                    : l.periodic ? u[0]
                                 : u[i];
  const Real sum = along(l, i, u[i], low, high);
  if (dimension == 1) return sum;
  return sum + (dimension == 2 ? across<2>(l, i, u[i]) : across<3>(l, i, u[i]));
}
}  // namespace

Real inflow_separable(const SeparableLine& line, int dimension, Index i) {
  return inflow_at(line, dimension, i);
}

Real inflow_general(const GeneralLine& line, int dimension, Index i) {
  return inflow_at(line, dimension, i);
}

WILLIWAW_CLONES
void leapfrog_separable(const SeparableLine& line, int dimension, const Leap& leapfrog_step, Real* out,
                        Totals* of_segments) {
  if (line.uniform)
    swing_by_dimension(UniformLine(line), dimension, out, Even{leapfrog_step.scale}, leapfrog_step,
                       leapfrog_step.widths[1], of_segments);
  else
    swing_by_dimension(SeparableLine(line), dimension, out,
                       ByWidth{leapfrog_step.scale, leapfrog_step.widths}, leapfrog_step, 1, of_segments);
}

WILLIWAW_CLONES
void leapfrog_general(const GeneralLine& line, int dimension, const Leap& leapfrog_step,
                      const Capacity& capacity, Real* out, Totals* of_segments) {
  Leap weighted = leapfrog_step;
  if (capacity.even) {
    const Real one = capacity.factor * capacity.values[1];
    weighted.kinetic *= one;
    swing_by_dimension(GeneralLine(line), dimension, out, Even{leapfrog_step.scale / one}, weighted, 1,
                       of_segments);
  } else {
    weighted.kinetic *= capacity.factor;
    swing_by_dimension(GeneralLine(line), dimension, out,
                       ByCapacity{leapfrog_step.scale / capacity.factor, capacity.values}, weighted, 1,
                       of_segments);
  }
}

namespace {
template <class Capacity>
WILLIWAW_INLINE inline void leapfrog_known(Index count, const Real* u, const Real* pair, const Real* force,
                                           const Leap& leapfrog_step, const Capacity& capacity,
                                           Real* __restrict out, Totals* of_segments) {
  const Real* widths = leapfrog_step.widths;
  each_segment(0, count, [&](Index s, Index first, Index end) WILLIWAW_INLINE {
    LaneTotals lanes;
    by_lanes(
        first, end,
        [&](Index i, Index k) WILLIWAW_INLINE {
          const Real c = capacity(i), v = 2 * u[i] - out[i] + leapfrog_step.scale * force[i] / c;
          out[i] = v;
          lanes.first[k] += c * (v - u[i]) * (v - u[i]);
          lanes.second[k] -= v * pair[i];
          lanes.third[k] += widths[i] * v;
          lanes.see(k, v);
        },
        fetch_nothing);
    count_leapfrog_step(lanes, leapfrog_step, 1, of_segments[s]);
  });
}

}  // namespace

WILLIWAW_CLONES
void leapfrog_with(Index count, const Real* u, const Real* pair, const Real* force, const Leap& leapfrog_step,
                   Real storage, const Real* capacity, Real* out, Totals* of_segments) {
  const Real* widths = leapfrog_step.widths;
  if (capacity)
    leapfrog_known(
        count, u, pair, force, leapfrog_step, [=](Index i) WILLIWAW_INLINE { return capacity[i]; }, out,
        of_segments);
  else
    leapfrog_known(
        count, u, pair, force, leapfrog_step, [=](Index i) WILLIWAW_INLINE { return storage * widths[i]; },
        out, of_segments);
}

namespace {

// `over(inflow, i)` is C⁻¹F.
template <class Line, class Over>
WILLIWAW_INLINE inline void take_stage(const Line& l, int dimension, const StageOfLine& stage,
                                       const Over& over) {
  const StageOfLine s = stage;
  const Real* u = l.u;
  const Real rest = 1 - s.fraction;
  if (s.before)
    each_inflow(l, dimension, [=](Index i, Real inflow) WILLIWAW_INLINE {
      const Real from = s.start[i];
      s.next[i] = from + s.fraction * (u[i] - from) + s.of_before * (s.before[i] - from) +
                  s.of_first * s.first_rate[i] + s.weight * over(inflow, i);
    });
  else if (s.sum && !s.from)
    each_inflow(l, dimension, [=](Index i, Real inflow) WILLIWAW_INLINE {
      const Real k = over(inflow, i);
      s.next[i] = s.start[i] + s.weight * k;
      s.sum[i] = s.of_step * k;
    });
  else if (s.sum && s.next)
    each_inflow(l, dimension, [=](Index i, Real inflow) WILLIWAW_INLINE {
      const Real k = over(inflow, i);
      s.next[i] = s.start[i] + s.weight * k;
      s.sum[i] = s.from[i] + s.of_step * k;
    });
  else if (s.sum)
    each_inflow(l, dimension, [=](Index i, Real inflow) WILLIWAW_INLINE {
      s.sum[i] = s.from[i] + s.of_step * over(inflow, i);
    });
  else if (s.fraction == 1)
    each_inflow(l, dimension,
                [=](Index i, Real inflow) WILLIWAW_INLINE { s.next[i] = u[i] + s.weight * over(inflow, i); });
  else
    each_inflow(l, dimension, [=](Index i, Real inflow) WILLIWAW_INLINE {
      s.next[i] = rest * s.start[i] + s.fraction * u[i] + s.weight * over(inflow, i);
    });
}

}  // namespace

WILLIWAW_CLONES
void stage_separable(const SeparableLine& line, int dimension, const StageOfLine& stage, Real per_volume) {
  StageOfLine per_inflow = stage;
  per_inflow.weight /= per_volume;
  per_inflow.of_step /= per_volume;
  const auto over = [](Real inflow, Index) WILLIWAW_INLINE { return inflow; };
  if (line.uniform)
    take_stage(UniformLine(line), dimension, per_inflow, over);
  else
    take_stage(SeparableLine(line), dimension, per_inflow, over);
}

WILLIWAW_CLONES
void stage_general(const GeneralLine& line, int dimension, const StageOfLine& stage,
                   const Capacity& capacity) {
  StageOfLine per_inflow = stage;
  per_inflow.weight /= capacity.factor;
  per_inflow.of_step /= capacity.factor;
  take_stage(GeneralLine(line), dimension, per_inflow,
             [values = capacity.values](Real inflow, Index i) WILLIWAW_INLINE { return inflow / values[i]; });
}

}  // namespace williwaw::kernels
