#include "line_elimination.hpp"

#include <omp.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "grid/threads.hpp"
#include "williwaw/domain/sums.hpp"
#include "williwaw/grid/clones.hpp"
#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

namespace {

constexpr Index lanes = 8;
constexpr Index least_chunk = 15 * segment_cells;

}  // namespace

// Eight chunks; pointers are to their first cells, and may be followed a reach to both sides.
struct LineElimination::Group {
  Index length, reach;
  std::array<const Real*, lanes> u, capacities, added;
  std::array<Real*, lanes> out;
  Real capacity, ratio;
  const Real *below, *pivots, *above;
  Real* eliminated;
  bool even, adds, symmetric;
};

namespace {

// Eight values side by side. Its arithmetic is that of eight numbers on any processor.
typedef Real Lanes __attribute__((vector_size(lanes * sizeof(Real))));

WILLIWAW_INLINE inline void load(const Real* from, Lanes& to) {
  __builtin_memcpy(&to, from, sizeof(Lanes));
}
WILLIWAW_INLINE inline void store(const Lanes& from, Real* to) {
  __builtin_memcpy(to, &from, sizeof(Lanes));
}

// Rows to columns: single values, then pairs, then fours change places.
WILLIWAW_INLINE inline void transpose(Lanes (&r)[lanes]) {
  Lanes a[lanes], b[lanes];
  for (int k = 0; k < 8; k += 2) {
    a[k] = __builtin_shufflevector(r[k], r[k + 1], 0, 8, 2, 10, 4, 12, 6, 14);
    a[k + 1] = __builtin_shufflevector(r[k], r[k + 1], 1, 9, 3, 11, 5, 13, 7, 15);
  }
  for (int k = 0; k < 8; k += 4)
    for (int h = 0; h < 2; ++h) {
      b[k + h] = __builtin_shufflevector(a[k + h], a[k + h + 2], 0, 1, 8, 9, 4, 5, 12, 13);
      b[k + h + 2] = __builtin_shufflevector(a[k + h], a[k + h + 2], 2, 3, 10, 11, 6, 7, 14, 15);
    }
  for (int h = 0; h < 4; ++h) {
    r[h] = __builtin_shufflevector(b[h], b[h + 4], 0, 1, 2, 3, 8, 9, 10, 11);
    r[h + 4] = __builtin_shufflevector(b[h], b[h + 4], 4, 5, 6, 7, 12, 13, 14, 15);
  }
}

// C·u + added of eight cells of every chunk, as eight columns.
template <bool even, bool adds, class AnyGroup>
WILLIWAW_INLINE inline void take_right(const AnyGroup& g, Index i, Lanes (&right)[lanes]) {
  for (Index c = 0; c < lanes; ++c) {
    load(g.u[c] + i, right[c]);
    if constexpr (even) {
      right[c] *= g.capacity;
    } else {
      Lanes capacity;
      load(g.capacities[c] + i, capacity);
      right[c] *= capacity;
    }
    if constexpr (adds) {
      Lanes added;
      load(g.added[c] + i, added);
      right[c] += added;
    }
  }
  transpose(right);
}

// Lengths and reaches are multiples of eight.
template <bool even, bool adds, bool symmetric, class AnyGroup>
WILLIWAW_INLINE inline void eliminate(const AnyGroup& group) {
  const AnyGroup g = group;
  Lanes y{}, below, pivot, above, right[lanes];
  for (Index i = -g.reach; i < g.length + g.reach; i += lanes) {
    take_right<even, adds>(g, i, right);
    for (Index k = 0; k < lanes; ++k) {
      load(g.below + lanes * (i + k + g.reach), below);
      y = right[k] - below * y;
      if (i >= 0) store(y, g.eliminated + lanes * (i + k));
    }
  }
  Lanes v{};
  const auto back = [&](Index i) WILLIWAW_INLINE {
    load(g.pivots + lanes * i, pivot);
    load(g.eliminated + lanes * i, y);
    // What lies above is the multiplier of the next cell where the matrix is symmetric.
    load(symmetric ? g.below + lanes * (i + 1 + g.reach) : g.above + lanes * i, above);
    v = pivot * y - above * v;
  };
  for (Index i = g.length + g.reach - 1; i >= g.length; --i) back(i);
  for (Index i = g.length - lanes; i >= 0; i -= lanes) {
    for (Index k = lanes - 1; k >= 0; --k) {
      back(i + k);
      right[k] = v;
    }
    transpose(right);
    for (Index c = 0; c < lanes; ++c) {
      Lanes u;
      load(g.u[c] + i, u);
      u += g.ratio * (right[c] - u);
      store(u, g.out[c] + i);
    }
  }
}

// The longest stretch over which the product of factors stays above 1e-17.
Index longest_reach(const std::vector<Real>& factors) {
  const Real least = std::log(1e-17);
  const Index count = static_cast<Index>(factors.size());
  std::vector<Real> logarithms(factors.size());
  for (std::size_t n = 0; n < factors.size(); ++n)
    logarithms[n] = factors[n] == 0 ? 2 * least : std::log(std::abs(factors[n]));
  Index longest = 0, end = 0;
  Real sum = 0;
  for (Index begin = 0; begin < count; ++begin) {
    if (end < begin) {
      end = begin;
      sum = 0;
    }
    while (end < count && sum > least) sum += logarithms[end++];
    longest = std::max(longest, end - begin);
    if (sum > least) break;  // to the end of the line
    sum -= logarithms[begin];
  }
  return longest;
}

}  // namespace

WILLIWAW_CLONES void LineElimination::eliminate_group(const Group& g) {
  const auto with = [&](auto even, auto adds) WILLIWAW_INLINE {
    if (g.symmetric)
      eliminate<even, adds, true>(g);
    else
      eliminate<even, adds, false>(g);
  };
  if (g.even && g.adds)
    with(std::true_type(), std::true_type());
  else if (g.even)
    with(std::true_type(), std::false_type());
  else if (g.adds)
    with(std::false_type(), std::true_type());
  else
    with(std::false_type(), std::false_type());
}

bool LineElimination::takes(const FaceSystem& m) {
  return m.dimension() == 1 && !m.periodic[0] && m.prescribed.empty() && m.size() > 1;
}

void LineElimination::factor(const FaceSystem& m, std::vector<Real> capacities, int threads) {
  cells_ = m.size();
  threads_ = threads_for(cells_, threads);
  capacities_ = std::move(capacities);
  even_ = std::ranges::all_of(capacities_, [&](Real c) { return c == capacities_.front(); });
  std::vector<Real> below(static_cast<std::size_t>(cells_)), pivots(below.size()), above(below.size());
  symmetric_ = true;
  // What a pivot has more than the conductance above it is summed up by itself: beside long steps'
  // conductances the storage would be lost in its last digits, and with it the budget.
  Real more = 0;
  for (Index i = 0; i < cells_; ++i) {
    const Real lower = i > 0 ? m.lower[0][i] : 0, upper = i + 1 < cells_ ? m.upper[0][i] : 0;
    const Real capacity = capacities_[static_cast<std::size_t>(i)];
    const Real beyond = m.diagonal[i] + lower + upper - capacity;
    // Boundaries; what round-off leaves of rows without one is none.
    more = capacity + (std::abs(beyond) > 1e-12 * std::abs(m.diagonal[i]) ? beyond : 0) -
           (i > 0 ? lower * more * pivots[i - 1] : 0);
    const Real pivot = more - upper;
    if (pivot == 0 || !std::isfinite(pivot))
      throw SolverError("the matrix is singular (pivot " + std::to_string(i) + ")");
    pivots[i] = 1 / pivot;
    below[i] = i > 0 ? lower * pivots[i - 1] : 0;
    above[i] = upper * pivots[i];
    if (i > 0 && lower != m.upper[0][i - 1]) symmetric_ = false;
  }
  reach_ = (std::max(longest_reach(below), longest_reach(above)) + lanes - 1) / lanes * lanes;
  choose_chunk();
  of_threads_.clear();
  if (reach_ == 0) {
    alone_ = {std::move(below), std::move(pivots), std::move(above)};
    return;
  }
  for (int t = 0; t < threads_; ++t) of_threads_.push_back(std::make_unique<Chunks>(chunk_, reach_, 4));
  cut(below, pivots, above);
}

// Long beside the reach, which is eliminated twice and more; but enough chunks to fill the lanes of some
// threads. Nothing here depends on how many threads there are.
void LineElimination::choose_chunk() {
  if (3 * reach_ > cells_) {
    // Hardly anything is out of reach: one after another.
    reach_ = 0;
    return;
  }
  reach_ = std::max(reach_, lanes);
  const Index wanted = std::max(least_chunk, std::min(8 * reach_, std::max(cells_ / 64, 2 * reach_)));
  const Index chunks = std::max<Index>(1, cells_ / wanted / lanes) * lanes;
  // An odd number of segments: no power of two, so that chunks of a group do not share the same few places of
  // the cache.
  const Index segments = (cells_ + chunks * segment_cells - 1) / (chunks * segment_cells);
  chunk_ = (segments / 2 * 2 + 1) * segment_cells;
}

void LineElimination::cut(const std::vector<Real>& below, const std::vector<Real>& pivots,
                          const std::vector<Real>& above) {
  const Index chunks = (cells_ + chunk_ - 1) / chunk_, groups = (chunks + lanes - 1) / lanes;
  multipliers_.clear();
  of_group_.clear();
  for (Index g = 0; g < groups; ++g) {
    Multipliers own;
    own.below.assign(static_cast<std::size_t>(lanes * (chunk_ + 2 * reach_ + 1)), 0.0);
    own.pivots.assign(static_cast<std::size_t>(lanes * (chunk_ + reach_)), 0.0);
    if (!symmetric_) own.above = own.pivots;
    for (Index c = 0; c < lanes; ++c) {
      const Index start = chunk_ * (g * lanes + c);
      if (start >= cells_) continue;
      for (Index i = -reach_; i <= chunk_ + reach_; ++i) {
        const Index n = start + i;
        if (n < 0 || n >= cells_) continue;
        own.below[lanes * (i + reach_) + c] = below[n];
        if (i < 0 || i == chunk_ + reach_) continue;
        own.pivots[lanes * i + c] = pivots[n];
        if (!symmetric_) own.above[lanes * i + c] = above[n];
      }
    }
    // Where coefficients do not vary elimination soon settles: one set serves all.
    const bool same = !multipliers_.empty() && multipliers_.back().below == own.below &&
                      multipliers_.back().pivots == own.pivots && multipliers_.back().above == own.above;
    if (!same) multipliers_.push_back(std::move(own));
    of_group_.push_back(multipliers_.size() - 1);
  }
}

// What a thread needs beside the line itself: eliminated values, and copies of chunks that reach beyond an
// end.
struct LineElimination::Chunks {
  std::vector<Real> eliminated, copies;
  Index room, lists;

  Chunks(Index chunk, Index reach, Index lists_of_cells)
      : eliminated(static_cast<std::size_t>(lanes * (chunk + reach))),
        room(chunk + 2 * reach),
        lists(lists_of_cells) {}
  Real* copy(Index list, Index lane) {
    if (copies.empty()) copies.resize(static_cast<std::size_t>(room * lists * lanes));
    return copies.data() + room * (list * lanes + lane);
  }
};

// Pointers of the lanes of a group, to copies with zeros beyond the ends where a chunk reaches there.
void LineElimination::place(Index number, std::span<const Real> u, const Added& added, std::span<Real> out,
                            Chunks& own, Group& g) const {
  const Index first = chunk_ * number * lanes, last = first + chunk_ * lanes;
  const bool has_ends = first <= reach_ || last + reach_ >= cells_;
  g.adds = !added.each.empty() || (has_ends && added.at_ends());
  for (Index c = 0; c < lanes; ++c) {
    const Index start = first + chunk_ * c;
    const auto lane = static_cast<std::size_t>(c);
    const bool inside = start - reach_ >= 0 && start + chunk_ + reach_ <= cells_;
    const auto padded = [&](Index list, std::span<const Real> from) {
      Real* to = own.copy(list, c);
      for (Index i = -reach_; i < chunk_ + reach_; ++i) {
        const Index n = start + i;
        to[i + reach_] = n >= 0 && n < cells_ && !from.empty() ? from[static_cast<std::size_t>(n)] : 0;
      }
      return to + reach_;
    };
    g.u[lane] = inside ? u.data() + start : padded(0, u);
    g.capacities[lane] = g.even ? nullptr : inside ? capacities_.data() + start : padded(1, capacities_);
    g.out[lane] = inside ? out.data() + start : own.copy(3, c);
    if (!g.adds) continue;
    if (inside && !added.each.empty()) {
      g.added[lane] = added.each.data() + start;
      continue;
    }
    Real* to = padded(2, added.each);
    g.added[lane] = to;
    if (start - reach_ <= 0 && start + chunk_ + reach_ > 0) to[-start] += added.first;
    if (const Index end = cells_ - 1 - start; end >= -reach_ && end < chunk_ + reach_) to[end] += added.last;
  }
}

void LineElimination::step(std::span<const Real> u, const Added& added, Real theta, std::span<Real> out,
                           const Finished& finished) {
  if (reach_ == 0) {
    step_alone(u, added, theta, out);
    if (finished) finished(0, cells_);
    return;
  }
  const Index groups = static_cast<Index>(of_group_.size());
#pragma omp parallel num_threads(threads_) if (threads_ > 1)
  {
    Chunks& own = *of_threads_[static_cast<std::size_t>(omp_get_thread_num())];
#pragma omp for schedule(static)
    for (Index number = 0; number < groups; ++number) {
      const Multipliers& multipliers = multipliers_[of_group_[static_cast<std::size_t>(number)]];
      Group g{chunk_,
              reach_,
              {},
              {},
              {},
              {},
              capacities_.front(),
              1 / theta,
              multipliers.below.data(),
              multipliers.pivots.data(),
              multipliers.above.data(),
              own.eliminated.data(),
              even_,
              false,
              symmetric_};
      place(number, u, added, out, own, g);
      eliminate_group(g);
      for (Index c = 0; c < lanes; ++c) {
        const Index start = chunk_ * (number * lanes + c), end = std::min(start + chunk_, cells_);
        if (start >= end) continue;
        const Real* from = g.out[static_cast<std::size_t>(c)];
        if (from != out.data() + start) std::copy_n(from, end - start, out.data() + start);
        if (finished) finished(start, end);
      }
    }
  }
}

// Where every cell hears of every other.
void LineElimination::step_alone(std::span<const Real> u, const Added& added, Real theta,
                                 std::span<Real> out) {
  const auto last = static_cast<std::size_t>(cells_ - 1);
  Real y = 0;
  for (std::size_t i = 0; i <= last; ++i) {
    Real right = capacities_[i] * u[i] + (added.each.empty() ? 0 : added.each[i]);
    if (i == 0) right += added.first;
    if (i == last) right += added.last;
    out[i] = y = right - alone_.below[i] * y;
  }
  Real v = 0;
  for (std::size_t i = last + 1; i-- > 0;) {
    v = alone_.pivots[i] * out[i] - alone_.above[i] * v;
    out[i] = u[i] + (v - u[i]) / theta;
  }
}

LineElimination::LineElimination() = default;
LineElimination::~LineElimination() = default;

}  // namespace williwaw
