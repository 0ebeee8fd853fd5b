#include "separable.hpp"

#include <algorithm>
#include <cmath>

#include "grid/threads.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw {

namespace {

constexpr Real tolerance = 1e-10;

// How many of the entries are not -unit·factor.
WILLIWAW_CLONES Index count_apart(const Real* entries, const Real* unit, Real factor, Index count) {
  Index apart = 0;
  for (Index i = 0; i < count; ++i) {
    const Real expected = unit[i] * factor, a = std::abs(entries[i]), b = std::abs(expected);
    apart += !(std::abs(entries[i] + expected) <= tolerance * (a > b ? a : b));
  }
  return apart;
}

// What row n has more than the conductances that lead from it.
WILLIWAW_INLINE inline Real excess_of(const FaceSystem& system, Index n) {
  Real sum = system.diagonal[n] + system.lower[0][n] + system.upper[0][n];
  if (!system.lower[1].empty()) sum += system.lower[1][n] + system.upper[1][n];
  if (!system.lower[2].empty()) sum += system.lower[2][n] + system.upper[2][n];
  return sum;
}

// How many rows of a line do not have `more` times their weight and `across` times what the axis' ends add.
WILLIWAW_CLONES Index count_unlike(const FaceSystem& system, Index first, const SeparableAxis& axis,
                                   Real more, Real across) {
  const Real *weight = axis.weight.data(), *boundary = axis.boundary.data();
  Index unlike = 0;
  for (Index i = 0; i < axis.count; ++i) {
    const Real expected = more * weight[i] + boundary[i] * across;
    unlike += !(std::abs(excess_of(system, first + i) - expected) <= tolerance * system.diagonal[first + i]);
  }
  return unlike;
}

class Separator {
 public:
  explicit Separator(const FaceSystem& system) : system_(system), dimension_(system.dimension()) {}

  std::optional<Separable> run() {
    if (dimension_ < 2 || !find_free()) return std::nullopt;
    for (int a = 0; a < dimension_; ++a) {
      SeparableAxis& axis = result_.axes[a];
      axis.weight.resize(axis.count);
      axis.conductance.assign(axis.count, 0.0);
      axis.boundary.assign(axis.count, 0.0);
    }
    if (!find_weights()) return std::nullopt;
    find_conductances();
    if (!find_boundaries() || !fits_everywhere()) return std::nullopt;
    return result_;
  }

 private:
  Index number(std::array<Index, 3> at) const {
    for (int a = 0; a < dimension_; ++a) at[a] += result_.axes[a].first;
    return at[0] + system_.extent[0] * (at[1] + system_.extent[1] * at[2]);
  }
  // The middle of the free block, moved along one axis.
  Index middle(int a, Index i) const {
    std::array<Index, 3> at{0, 0, 0};
    for (int b = 0; b < dimension_; ++b) at[b] = result_.axes[b].count / 2;
    at[a] = i;
    return number(at);
  }

  // Prescribed unknowns must be whole sides.
  bool find_free() {
    result_.axes.resize(static_cast<std::size_t>(dimension_));
    for (int a = 0; a < dimension_; ++a) {
      result_.axes[a].count = system_.extent[a];
      result_.axes[a].periodic = system_.periodic[a];
    }
    if (system_.prescribed.empty()) return true;
    std::array<Index, 3> low = system_.extent, high{-1, -1, -1};
    Index free = 0;
    for (Index n = 0; n < system_.size(); ++n) {
      if (system_.prescribed[n]) continue;
      ++free;
      const std::array<Index, 3> at{n % system_.extent[0], n / system_.extent[0] % system_.extent[1],
                                    n / (system_.extent[0] * system_.extent[1])};
      for (int a = 0; a < 3; ++a) {
        low[a] = std::min(low[a], at[a]);
        high[a] = std::max(high[a], at[a]);
      }
    }
    Index block = 1;
    for (int a = 0; a < dimension_; ++a) {
      if (high[a] < low[a]) return false;
      result_.axes[a].first = low[a];
      result_.axes[a].count = high[a] - low[a] + 1;
      block *= result_.axes[a].count;
    }
    return block == free;
  }

  // Conductances along one axis are weighted by the fractions of all others.
  bool find_weights() {
    for (int a = 0; a < dimension_; ++a) {
      SeparableAxis& axis = result_.axes[a];
      const int other = a == 0 ? 1 : 0;
      const auto conductance_at = [&](Index i) {
        const Index n = middle(a, i);
        return -(system_.upper[other][n] != 0 ? system_.upper[other][n] : system_.lower[other][n]);
      };
      const Real unit = conductance_at(axis.count / 2);
      for (Index i = 0; i < axis.count; ++i) {
        axis.weight[i] = unit > 0 ? conductance_at(i) / unit : 1;
        if (!(axis.weight[i] > 0)) return false;
      }
    }
    return true;
  }

  void find_conductances() {
    for (int a = 0; a < dimension_; ++a) {
      SeparableAxis& axis = result_.axes[a];
      for (Index i = axis.periodic ? 0 : 1; i < axis.count; ++i)
        axis.conductance[i] = -system_.lower[a][middle(a, i)];
    }
  }

  Real others(const std::array<Index, 3>& at, int a) const {
    Real product = 1;
    for (int b = 0; b < dimension_; ++b)
      if (b != a) product *= result_.axes[b].weight[at[b]];
    return product;
  }

  // Whether a line along the first axis is what the axes tell.
  bool fits(Index j, Index k) const {
    const auto& axes = result_.axes;
    const Index n = axes[0].count, first = number({0, j, k});
    const std::array<Index, 3> at{0, j, k};
    const Real across = others(at, 0), *along = axes[0].conductance.data();
    Index apart = 0;
    const auto compare = [&](const std::vector<Real>& entries, Index from, Index count, const Real* unit,
                             Real factor) {
      apart += count_apart(entries.data() + first + from, unit, factor, count);
    };
    compare(system_.lower[0], 1, n - 1, along + 1, across);
    compare(system_.upper[0], 0, n - 1, along + 1, across);
    if (axes[0].periodic) {
      compare(system_.lower[0], 0, 1, along, across);
      compare(system_.upper[0], n - 1, 1, along, across);
    }
    // What a row has more than its conductances, for a weight of 1 along x.
    Real more = result_.shift * across;
    for (int a = 1; a < dimension_; ++a) {
      const SeparableAxis& axis = axes[a];
      const Real other = dimension_ == 3 ? axes[3 - a].weight[at[3 - a]] : 1;
      const Real* weight = axes[0].weight.data();
      const auto factor = [&](Index face) { return axis.conductance[face] * other; };
      if (at[a] > 0 || axis.periodic) compare(system_.lower[a], 0, n, weight, factor(at[a]));
      if (at[a] + 1 < axis.count)
        compare(system_.upper[a], 0, n, weight, factor(at[a] + 1));
      else if (axis.periodic)
        compare(system_.upper[a], 0, n, weight, factor(0));
      more += axis.boundary[at[a]] * other;
    }
    return apart == 0 && count_unlike(system_, first, axes[0], more, across) == 0;
  }

  bool fits_everywhere() const {
    const Index rows = result_.axes[1].count, planes = dimension_ == 3 ? result_.axes[2].count : 1;
    return all_by_threads(rows * planes, threads_for(system_.size(), 0),
                          [&](Index line) { return fits(line % rows, line / rows); });
  }

  // The middle tells the shift, if it lies beside no boundary; the ends of each axis tell its boundaries.
  bool find_boundaries() {
    for (int a = 0; a < dimension_; ++a)
      if (result_.axes[a].count < 3) return false;
    const Index n = middle(0, result_.axes[0].count / 2);
    Real weight = 1;
    for (int a = 0; a < dimension_; ++a) weight *= result_.axes[a].weight[result_.axes[a].count / 2];
    const Real inside = excess_of(system_, n);
    result_.shift = std::abs(inside) > 1e-13 * system_.diagonal[n] ? inside / weight : 0;
    for (int a = 0; a < dimension_; ++a) {
      SeparableAxis& axis = result_.axes[a];
      for (const Index i : {Index{0}, axis.count - 1}) {
        std::array<Index, 3> at{0, 0, 0};
        for (int b = 0; b < dimension_; ++b) at[b] = result_.axes[b].count / 2;
        at[a] = i;
        const Index end = number(at);
        const Real rest = excess_of(system_, end) - result_.shift * axis.weight[i] * others(at, a);
        axis.boundary[i] = std::abs(rest) > 1e-12 * system_.diagonal[end] ? rest / others(at, a) : 0;
      }
    }
    return true;
  }

  const FaceSystem& system_;
  int dimension_;
  Separable result_;
};

}  // namespace

std::optional<Separable> separate(const FaceSystem& system) {
  return Separator(system).run();
}

}  // namespace williwaw
