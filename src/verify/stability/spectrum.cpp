#include "verify/stability/spectrum.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "williwaw/solve/spectrum.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

Real frozen_symbol(const Conductances& c, const Grid& g, Index n) {
  Real sum = 0;
  for (int a = 0; a < g.dimension(); ++a) {
    const Real before = c.conductance(n, a, false), after = c.conductance(n, a, true);
    sum += before == 0 ? 2 * after : after == 0 ? 2 * before : before + after;
  }
  return 2 * sum / c.capacity(n);
}

namespace {

// Half volumes of boundary nodes are the boundary's affair, not the interior's.
bool is_interior(const Grid& g, Index n) {
  if (g.unknowns() == Unknowns::cells) return true;
  const auto at = g.position(n);
  for (int a = 0; a < g.dimension(); ++a)
    if (!g.axis(a).periodic() && g.size(a) > 2 && (at[a] == 0 || at[a] == g.size(a) - 1)) return false;
  return true;
}

void interior_of_separable(const Conductances& c, const Grid& g, Spectrum& out) {
  // The worst place along each axis by itself, since contributions add.
  std::array<Index, 3> worst{0, 0, 0};
  for (int a = 0; a < g.dimension(); ++a) {
    Real most = -1;
    const bool skip = g.unknowns() == Unknowns::nodes && !g.axis(a).periodic() && g.size(a) > 2;
    for (Index i = skip ? 1 : 0; i < g.size(a) - (skip ? 1 : 0); ++i) {
      const Real before = c.before(a)[i], after = c.after(a)[i];
      const Real sum = before == 0 ? 2 * after : after == 0 ? 2 * before : before + after;
      if (sum > most) {
        most = sum;
        worst[a] = i;
      }
    }
    out.interior += 2 * c.conductivity(a) * std::max(most, 0.0) / c.storage().per_volume();
  }
  out.interior_at = g.number(worst[0], worst[1], worst[2]);
}

}  // namespace

// Both differences have the same modes on a uniform axis: with s = sin(θ/2) the eigenvalue k·(2s/h)² becomes
// k·(2/h)²·(s + s³/6)².
Real of_order_four(Real eigenvalue, const Conductances& c, const Grid& g, int axis) {
  const Real h = g.axis(axis).length() / static_cast<Real>(g.axis(axis).intervals());
  const Real square = eigenvalue * h * h * c.storage().per_volume() / (4 * c.conductivity(axis));
  const Real factor = 1 + square / 6;
  return eigenvalue * factor * factor;
}

namespace {

Spectrum from_axes(const std::vector<AxisOperator>& axes, const Conductances& c, const Grid& g, int order) {
  Spectrum result;
  result.method = "axis by axis";
  Real smallest = 0;
  std::array<Index, 3> at{0, 0, 0};
  for (int a = 0; a < g.dimension(); ++a) {
    const AxisOperator& op = axes[a];
    const Real largest = largest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
    const Real least = smallest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
    result.largest += order == 4 ? of_order_four(largest, c, g, a) : largest;
    smallest += order == 4 ? of_order_four(least, c, g, a) : least;
    const auto most = std::ranges::max_element(op.diagonal);
    result.diagonal += *most;
    at[a] = most - op.diagonal.begin();
  }
  // Round-off of the largest is all that is left of an eigenvalue zero.
  result.smallest = std::abs(smallest) < 1e-13 * result.largest ? 0 : smallest;
  result.diagonal_at = g.number(at[0], at[1], at[2]);
  interior_of_separable(c, g, result);
  // At the shortest wave the slope over four points is 7/6 of that over two.
  if (order == 4) result.interior *= 49.0 / 36.0;
  return result;
}

// No slope over four points exceeds 7/6 of the steepest between neighbours.
void widen(Spectrum& found) {
  constexpr Real factor = 49.0 / 36.0;
  found.largest *= factor;
  found.interior *= factor;
  found.surely.reset();
  found.smallest.reset();
  found.exact = false;
  found.method = "only bounded, by the steepest slope over four points";
}

// Rows and columns divided by the roots of the capacities; unknowns that are not free are joined to nothing.
void make_symmetric(FaceSystem& k, const Conductances& c, const State& root, const std::vector<char>& free) {
  for (Index n = 0; n < k.size(); ++n) k.diagonal[n] = free[n] ? k.diagonal[n] / c.capacity(n) : 0;
  for (int a = 0; a < k.dimension(); ++a)
    for (const bool up : {false, true})
      for (Index n = 0; n < k.size(); ++n) {
        const Index other = k.neighbour(n, a, up);
        Real& value = (up ? k.upper : k.lower)[a][n];
        value = other >= 0 && free[n] && free[other] ? value / (root[n] * root[other]) : 0;
      }
}

// The free unknowns of a symmetric line in their order; those on either side of a gap are joined by nothing.
AxisOperator along_the_line(const FaceSystem& k, const std::vector<char>& free) {
  AxisOperator op;
  for (Index n = 0; n < k.size(); ++n) {
    if (!free[n]) continue;
    if (!op.diagonal.empty())
      op.off_diagonal.push_back(k.lower[0][n]);
    else if (n == 0)
      op.corner = k.lower[0][n];
    op.diagonal.push_back(k.diagonal[n]);
  }
  return op;
}

// Entries of the free unknowns, numbered one after another.
std::vector<Triplet> entries_of_free(const FaceSystem& k, const std::vector<char>& free) {
  std::vector<Index> place(free.size(), 0);
  std::exclusive_scan(free.begin(), free.end(), place.begin(), Index{0});
  std::vector<Triplet> entries = k.triplets();
  std::erase_if(entries, [&](const Triplet& t) { return !free[t.row]; });
  for (Triplet& t : entries) t = {place[t.row], place[t.column], t.value};
  return entries;
}

Spectrum from_matrix(Discretization& balance, Real at, Parts parts) {
  Spectrum result;
  const Grid& g = balance.grid();
  const State none;
  LinearSystem system;
  balance.linearise(none, at, 0, 1, parts, system);
  FaceSystem& k = std::get<FaceSystem>(system);
  const auto conductances = balance.conductances(at);
  const Conductances& c = *conductances;
  std::vector<char> free(static_cast<std::size_t>(g.count()), 0);
  State root(static_cast<std::size_t>(g.count()), 1.0);
  Index count = 0;
  Real gershgorin = 0;
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance.outline().active(n)) continue;
    root[n] = std::sqrt(c.capacity(n));
    if (is_interior(g, n))
      if (const Real symbol = frozen_symbol(c, g, n); symbol > result.interior) {
        result.interior = symbol;
        result.interior_at = n;
      }
    if (!k.prescribed.empty() && k.prescribed[n]) continue;
    free[n] = 1;
    ++count;
    const Real diagonal = k.diagonal[n] / c.capacity(n);
    Real reach = 0;
    for (int a = 0; a < g.dimension(); ++a) reach += std::abs(k.lower[a][n]) + std::abs(k.upper[a][n]);
    gershgorin = std::max(gershgorin, diagonal + reach / c.capacity(n));
    if (diagonal > result.diagonal) {
      result.diagonal = diagonal;
      result.diagonal_at = n;
    }
  }
  if (count == 0) throw InputError("all unknowns are prescribed");
  make_symmetric(k, c, root, free);
  if (g.dimension() == 1) {
    const AxisOperator op = along_the_line(k, free);
    result.method = "by bisection";
    result.largest = largest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
    result.smallest = smallest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
  } else if (count <= dense_limit) {
    result.method = "by dense eigenvalues";
    const auto values = symmetric_eigenvalues(count, entries_of_free(k, free));
    result.largest = values.back();
    result.smallest = values.front();
  } else {
    result.method = "bounds by Lanczos and Gershgorin";
    result.largest = gershgorin;
    result.surely = std::min(gershgorin, largest_by_lanczos(std::move(k), free));
    // Where both agree to a part in a million nothing is left between them.
    result.exact = gershgorin - *result.surely <= 1e-6 * gershgorin;
  }
  if (result.smallest && std::abs(*result.smallest) < 1e-13 * result.largest) result.smallest = 0;
  return result;
}

}  // namespace

Spectrum spectrum(Discretization& balance, Real at, Parts parts) {
  // A reaction is not in the operators along the axes.
  const bool whole = !balance.capabilities().reacts || parts.has(Parts::source());
  const auto axes = whole ? balance.axis_operators(at) : std::nullopt;
  const int order = balance.capabilities().space_order;
  if (axes) return from_axes(*axes, *balance.conductances(at), balance.grid(), order);
  Spectrum found = from_matrix(balance, at, parts);
  if (order == 4) widen(found);
  return found;
}

}  // namespace williwaw::verify
