#include "verify/stability/modes.hpp"

#include <algorithm>
#include <cmath>

#include "verify/stability/spectrum.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

namespace {

// Longest axis whose eigenvectors are computed, and most work of a transform.
constexpr Index longest_axis = 1000;
constexpr Real most_work = 4e8;

}  // namespace

Modes::Factor Modes::of_axis(const AxisOperator& op) {
  const auto n = static_cast<Index>(op.diagonal.size());
  if (op.corner == 0 && n > 1) return tridiagonal_modes(op.diagonal, op.off_diagonal);
  std::vector<Real> m(static_cast<std::size_t>(n * n), 0.0);
  for (Index i = 0; i < n; ++i) m[i + n * i] = op.diagonal[i];
  for (Index i = 0; i + 1 < n; ++i) m[i + n * (i + 1)] = m[i + 1 + n * i] = op.off_diagonal[i];
  if (n > 1) {
    m[n * (n - 1)] += op.corner;
    m[n - 1] += op.corner;
  }
  return symmetric_modes(n, m);
}

std::optional<Modes> Modes::of(Discretization& balance, Real at) {
  const Grid& g = balance.grid();
  LinearSystem system;
  const State none;
  balance.linearise(none, at, 0, 1, Parts::all(), system);
  const auto& k = std::get<FaceSystem>(system);
  const auto conductances = balance.conductances(at);
  const Conductances& c = *conductances;
  Modes result;
  result.all_ = g.count();
  std::vector<Index> place(static_cast<std::size_t>(g.count()), -1);
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance.outline().active(n) || (!k.prescribed.empty() && k.prescribed[n])) continue;
    place[n] = static_cast<Index>(result.unknowns_.size());
    result.unknowns_.push_back(n);
    result.root_.push_back(std::sqrt(c.capacity(n)));
  }
  const auto count = static_cast<Index>(result.unknowns_.size());
  const auto axes = balance.axis_operators(at);
  if (axes) {
    Real work = 0;
    for (const auto& op : *axes) {
      const auto n = static_cast<Index>(op.diagonal.size());
      work += static_cast<Real>(n) * static_cast<Real>(count);
      if (n > longest_axis) return std::nullopt;
    }
    if (work > most_work) return std::nullopt;
    for (const auto& op : *axes) {
      result.factors_.push_back(of_axis(op));
      if (balance.capabilities().space_order == 4)
        for (Real& v : result.factors_.back().values)
          v = of_order_four(v, c, g, static_cast<int>(result.factors_.size()) - 1);
    }
  } else {
    if (balance.capabilities().space_order == 4) return std::nullopt;
    if (count > (g.dimension() == 1 ? longest_axis : dense_limit)) return std::nullopt;
    std::vector<Real> m(static_cast<std::size_t>(count * count), 0.0);
    for (const Index n : result.unknowns_) {
      m[place[n] * (count + 1)] = k.diagonal[n] / c.capacity(n);
      for (int a = 0; a < g.dimension(); ++a)
        for (const bool up : {false, true}) {
          const Index other = k.neighbour(n, a, up);
          if (other >= 0 && place[other] >= 0)
            m[place[n] + count * place[other]] +=
                (up ? k.upper : k.lower)[a][n] / (result.root_[place[n]] * result.root_[place[other]]);
        }
    }
    result.factors_.push_back(symmetric_modes(count, m));
  }
  result.sum_eigenvalues();
  return result;
}

void Modes::sum_eigenvalues() {
  eigenvalues_.assign(1, 0.0);
  for (const Factor& f : factors_) {
    std::vector<Real> next;
    for (const Real v : f.values)
      for (const Real e : eigenvalues_) next.push_back(e + v);
    eigenvalues_ = std::move(next);
  }
}

std::vector<char> Modes::constant_along(const Grid& grid, int axis) const {
  std::vector<char> result;
  if (factors_.size() == static_cast<std::size_t>(grid.dimension()) && grid.dimension() > 1) {
    // Separable: the factor of that axis decides. Its slowest mode is even where it decays not at all.
    Index inner = 1;
    for (int a = 0; a < axis; ++a) inner *= factors_[static_cast<std::size_t>(a)].count();
    const Factor& f = factors_[static_cast<std::size_t>(axis)];
    Real largest = 0;
    for (const Real v : f.values) largest = std::max(largest, std::abs(v));
    for (std::size_t m = 0; m < eigenvalues_.size(); ++m) {
      const Index k = static_cast<Index>(m) / inner % f.count();
      result.push_back(std::abs(f.values[static_cast<std::size_t>(k)]) <= 1e-10 * largest ? 1 : 0);
    }
    return result;
  }
  Index stride = 1;
  for (int a = 0; a < axis; ++a) stride *= grid.size(a);
  std::vector<Real> one(eigenvalues_.size(), 0.0);
  std::vector<char> taken(static_cast<std::size_t>(all_), 0);
  for (const Index n : unknowns_) taken[static_cast<std::size_t>(n)] = 1;
  for (std::size_t m = 0; m < eigenvalues_.size(); ++m) {
    one[m] = 1;
    const State shape = compose(one);
    one[m] = 0;
    Real largest = 0, varies = 0;
    for (const Index n : unknowns_) {
      largest = std::max(largest, std::abs(shape[static_cast<std::size_t>(n)]));
      if (grid.position(n)[axis] + 1 < grid.size(axis) && taken[static_cast<std::size_t>(n + stride)])
        varies = std::max(varies, std::abs(shape[static_cast<std::size_t>(n + stride)] -
                                           shape[static_cast<std::size_t>(n)]));
    }
    result.push_back(varies <= 1e-8 * largest ? 1 : 0);
  }
  return result;
}

// Along one axis after the other, the first one fastest.
void Modes::transform(std::vector<Real>& data, bool back) const {
  Index inner = 1;
  for (const Factor& f : factors_) {
    const Index n = f.count(), outer = static_cast<Index>(data.size()) / (inner * n);
    for (Index o = 0; o < outer; ++o) {
      const std::span<Real> block(data.data() + o * inner * n, static_cast<std::size_t>(inner * n));
      std::ranges::copy(product(inner, n, block, f.vectors, back), block.begin());
    }
    inner *= n;
  }
}

std::vector<Real> Modes::analyse(const State& y) const {
  std::vector<Real> data(unknowns_.size());
  for (std::size_t n = 0; n < data.size(); ++n) data[n] = root_[n] * y[unknowns_[n]];
  transform(data, false);
  return data;
}

State Modes::compose(const std::vector<Real>& coefficients) const {
  std::vector<Real> data = coefficients;
  transform(data, true);
  State y(static_cast<std::size_t>(all_), 0.0);
  for (std::size_t n = 0; n < data.size(); ++n) y[unknowns_[n]] = data[n] / root_[n];
  return y;
}

}  // namespace williwaw::verify
