#include "separable.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

constexpr Real tolerance = 1e-10;

bool close(Real a, Real b) {
  return std::abs(a - b) <= tolerance * std::max(std::abs(a), std::abs(b));
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
    if (!fits_conductances() || !find_boundaries() || !fits_diagonal()) return std::nullopt;
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

  template <class Test>
  bool everywhere(const Test& test) const {
    std::array<Index, 3> count{1, 1, 1};
    for (int a = 0; a < dimension_; ++a) count[a] = result_.axes[a].count;
    for (Index k = 0; k < count[2]; ++k)
      for (Index j = 0; j < count[1]; ++j)
        for (Index i = 0; i < count[0]; ++i)
          if (!test(std::array<Index, 3>{i, j, k})) return false;
    return true;
  }

  bool fits_conductances() const {
    return everywhere([&](const std::array<Index, 3>& at) {
      const Index n = number(at);
      for (int a = 0; a < dimension_; ++a) {
        const SeparableAxis& axis = result_.axes[a];
        if (at[a] == 0 && !axis.periodic) continue;
        const Real expected = axis.conductance[at[a]] * others(at, a);
        const Index below = system_.neighbour(n, a, false);
        if (!close(-system_.lower[a][n], expected) || !close(-system_.upper[a][below], expected))
          return false;
      }
      return true;
    });
  }

  Real excess(Index n) const {
    Real sum = system_.diagonal[n];
    for (int a = 0; a < dimension_; ++a) sum += system_.lower[a][n] + system_.upper[a][n];
    return sum;
  }

  // The middle tells the shift, if it lies beside no boundary; the ends of each axis tell its boundaries.
  bool find_boundaries() {
    for (int a = 0; a < dimension_; ++a)
      if (result_.axes[a].count < 3) return false;
    const Index n = middle(0, result_.axes[0].count / 2);
    Real weight = 1;
    for (int a = 0; a < dimension_; ++a) weight *= result_.axes[a].weight[result_.axes[a].count / 2];
    const Real inside = excess(n);
    result_.shift = std::abs(inside) > 1e-13 * system_.diagonal[n] ? inside / weight : 0;
    for (int a = 0; a < dimension_; ++a) {
      SeparableAxis& axis = result_.axes[a];
      for (const Index i : {Index{0}, axis.count - 1}) {
        std::array<Index, 3> at{0, 0, 0};
        for (int b = 0; b < dimension_; ++b) at[b] = result_.axes[b].count / 2;
        at[a] = i;
        const Index end = number(at);
        const Real rest = excess(end) - result_.shift * axis.weight[i] * others(at, a);
        axis.boundary[i] = std::abs(rest) > 1e-12 * system_.diagonal[end] ? rest / others(at, a) : 0;
      }
    }
    return true;
  }

  bool fits_diagonal() const {
    return everywhere([&](const std::array<Index, 3>& at) {
      const Index n = number(at);
      Real expected = result_.shift;
      for (int a = 0; a < dimension_; ++a) expected *= result_.axes[a].weight[at[a]];
      for (int a = 0; a < dimension_; ++a) expected += result_.axes[a].boundary[at[a]] * others(at, a);
      return std::abs(excess(n) - expected) <= tolerance * system_.diagonal[n];
    });
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
