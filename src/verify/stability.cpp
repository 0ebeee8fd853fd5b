#include "williwaw/verify/stability.hpp"

#include <algorithm>
#include <cmath>

#include "williwaw/solve/spectrum.hpp"

namespace williwaw::verify {

namespace {

// What the limits are made of, at one time.
struct Spectrum {
  Real largest = 0;
  std::optional<Real> smallest;
  std::string method;
  bool exact = true;
  Real interior = 0;  ///< largest eigenvalue of the frozen symbol
  Index interior_at = 0;
  Real diagonal = 0;  ///< largest diagonal entry
  Index diagonal_at = 0;
};

// Symbol of one unknown at the shortest wave: twice the sum of its conductances over its capacity. A missing
// neighbour is taken to be joined like the one on the other side.
Real frozen_symbol(const Couplings& c, const Grid& g, Index n) {
  Real sum = 0;
  for (int a = 0; a < g.rank(); ++a) {
    const Real before = c.conductance(n, a, false), after = c.conductance(n, a, true);
    sum += before == 0 ? 2 * after : after == 0 ? 2 * before : before + after;
  }
  return 2 * sum / c.capacity(n);
}

// Half volumes of wall nodes are the wall's affair, not the interior's.
bool is_interior(const Grid& g, Index n) {
  if (g.unknowns() == Unknowns::cells) return true;
  const auto at = g.position(n);
  for (int a = 0; a < g.rank(); ++a)
    if (!g.axis(a).periodic() && g.size(a) > 2 && (at[a] == 0 || at[a] == g.size(a) - 1)) return false;
  return true;
}

void interior_of_separable(const Couplings& c, const Grid& g, Spectrum& out) {
  // The worst place along each axis by itself, since contributions add.
  std::array<Index, 3> worst{0, 0, 0};
  for (int a = 0; a < g.rank(); ++a) {
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
    out.interior += 2 * c.conductivity(a) * std::max(most, 0.0) / c.storage();
  }
  out.interior_at = g.number(worst[0], worst[1], worst[2]);
}

Spectrum from_axes(const std::vector<AxisOperator>& axes, const Couplings& c, const Grid& g) {
  Spectrum result;
  result.method = "axis by axis";
  Real smallest = 0;
  std::array<Index, 3> at{0, 0, 0};
  for (int a = 0; a < g.rank(); ++a) {
    const AxisOperator& op = axes[a];
    result.largest += largest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
    smallest += smallest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
    const auto most = std::ranges::max_element(op.diagonal);
    result.diagonal += *most;
    at[a] = most - op.diagonal.begin();
  }
  // Round-off of the largest is all that is left of an eigenvalue zero.
  result.smallest = std::abs(smallest) < 1e-13 * result.largest ? 0 : smallest;
  result.diagonal_at = g.number(at[0], at[1], at[2]);
  interior_of_separable(c, g, result);
  return result;
}

Spectrum from_matrix(DiffusionBalance& balance, Real at) {
  Spectrum result;
  const Grid& g = balance.grid();
  const State none;
  LinearSystem system;
  balance.linearise(none, at, 0, 1, Parts::all(), system);
  const FaceSystem& k = std::get<FaceSystem>(system);
  const Couplings& c = balance.couplings(at);
  std::vector<Index> free;
  std::vector<Index> place(static_cast<std::size_t>(g.count()), -1);
  std::vector<Real> root(static_cast<std::size_t>(g.count()));
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance.outline().active(n)) continue;
    root[n] = std::sqrt(c.capacity(n));
    if (is_interior(g, n))
      if (const Real symbol = frozen_symbol(c, g, n); symbol > result.interior) {
        result.interior = symbol;
        result.interior_at = n;
      }
    if (!k.held.empty() && k.held[n]) continue;
    place[n] = static_cast<Index>(free.size());
    free.push_back(n);
  }

  Real gershgorin = 0;
  std::vector<Triplet> entries;
  const bool dense = static_cast<Index>(free.size()) <= dense_limit, line = g.rank() == 1;
  AxisOperator op;
  for (const Index n : free) {
    const Real diagonal = k.diagonal[n] / c.capacity(n);
    Real reach = 0;
    if (dense) entries.push_back({place[n], place[n], diagonal});
    if (line) op.diagonal.push_back(diagonal);
    for (int a = 0; a < g.rank(); ++a)
      for (const bool up : {false, true}) {
        const Real value = (up ? k.upper : k.lower)[a][n];
        const Index other = k.neighbour(n, a, up);
        if (other < 0 || value == 0) continue;
        reach += std::abs(value) / c.capacity(n);
        const Real symmetric = value / (root[n] * root[other]);
        if (dense) entries.push_back({place[n], place[other], symmetric});
        if (line && up) (other > n ? op.off_diagonal.emplace_back() : op.corner) = symmetric;
      }
    gershgorin = std::max(gershgorin, diagonal + reach);
    if (diagonal > result.diagonal) {
      result.diagonal = diagonal;
      result.diagonal_at = n;
    }
  }
  if (free.empty()) throw InputError("walls hold every unknown: nothing is left to solve");
  if (line) {
    result.method = "by bisection";
    result.largest = largest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
    result.smallest = smallest_eigenvalue(op.diagonal, op.off_diagonal, op.corner);
  } else if (dense) {
    result.method = "by dense eigenvalues";
    const auto values = symmetric_eigenvalues(static_cast<Index>(free.size()), entries);
    result.largest = values.back();
    result.smallest = values.front();
  } else {
    result.method = "by Gershgorin's circles";
    result.exact = false;
    result.largest = gershgorin;
  }
  if (result.smallest && std::abs(*result.smallest) < 1e-13 * result.largest) result.smallest = 0;
  return result;
}

Spectrum spectrum(DiffusionBalance& balance, Real at) {
  const auto axes = balance.axis_operators(at);
  return axes ? from_axes(*axes, balance.couplings(at), balance.grid()) : from_matrix(balance, at);
}

bool data_vary(const Problem& problem) {
  const Equation& e = problem.equation();
  return e.source.depends_on_time() || problem.walls_depend_on_time() ||
         (e.reaction && e.reaction->on_time) ||
         std::ranges::any_of(e.points, [](const PointSource& p) { return p.rate.depends_on_time(); });
}

}  // namespace

Stability stability(DiffusionBalance& balance, const Scheme& scheme, Real step, Real from, Real until) {
  Stability result;
  result.step = step;
  const bool changes = !balance.offers().steady_matrix && until > from;
  result.times = changes ? 33 : 1;
  Spectrum worst;
  for (int n = 0; n < result.times; ++n) {
    const Real at = changes ? from + (until - from) * n / (result.times - 1) : from;
    const Spectrum now = spectrum(balance, at);
    if (n == 0) worst = now;
    if (now.largest > worst.largest) {
      worst.largest = now.largest;
      worst.method = now.method;
      worst.exact = now.exact;
    }
    if (now.smallest && worst.smallest) worst.smallest = std::min(*now.smallest, *worst.smallest);
    if (now.interior > worst.interior) {
      worst.interior = now.interior;
      worst.interior_at = now.interior_at;
    }
    if (now.diagonal > worst.diagonal) {
      worst.diagonal = now.diagonal;
      worst.diagonal_at = now.diagonal_at;
    }
  }

  const Real interval = real_stability_interval(scheme.tableau);
  // Data that change in time enter between the stages, where only the tableau's own radius protects.
  const Real radius = data_vary(balance.problem()) ? monotonicity_radius_of_tableau(scheme.tableau)
                                                   : monotonicity_radius_of_function(scheme.tableau);
  result.largest_eigenvalue = worst.largest;
  result.smallest_eigenvalue = worst.smallest;
  result.method = worst.method;
  using enum Limit::Standing;
  result.limit = {interval / worst.largest, worst.exact ? sharp : bound, std::nullopt};
  result.interior = {interval / worst.interior, heuristic, worst.interior_at};
  result.positivity = {radius / worst.diagonal, bound, worst.diagonal_at};
  result.diffusion_number = worst.interior * step / 4;
  result.worst = worst.interior_at;
  return result;
}

Stability stability(const Problem& problem, const Scheme& scheme, Real step, Real from, Real until) {
  DiffusionBalance balance(problem);
  return stability(balance, scheme, step, from, until);
}

}  // namespace williwaw::verify
