#include "williwaw/verify/shape.hpp"

#include <algorithm>
#include <cmath>
#include <complex>

#include "grid/threads.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw::verify {

namespace {

struct Spread {
  Real height = 0;
  std::array<Real, 3> width{0, 0, 0};
};

// What most of the domain holds: the median.
Real far_field(const Discretization& balance, const State& y) {
  State sorted;
  for (Index n = 0; n < balance.grid().count(); ++n)
    if (balance.outline().active(n)) sorted.push_back(y[n]);
  const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
  std::ranges::nth_element(sorted, middle);
  return *middle;
}

// Height of the excess over `around`, and the roots of its second central moments along each axis.
Spread spread_of(const Discretization& balance, const State& y, Real around) {
  const Grid& g = balance.grid();
  Spread result;
  const auto excess = [&](Index n) {
    return balance.outline().active(n)
               ? g.volume_of(n) * balance.outline().volume_fraction(n) * (y[n] - around)
               : 0.0;
  };
  Real mass = 0, either_sign = 0;
  for (Index n = 0; n < g.count(); ++n) {
    mass += excess(n);
    either_sign += std::abs(excess(n));
    if (balance.outline().active(n)) result.height = std::max(result.height, std::abs(y[n] - around));
  }
  // What lies as much below its surroundings as above them is no pulse: its moments mean nothing.
  result.width.fill(std::nan(""));
  if (std::abs(mass) <= 0.5 * either_sign) return result;
  for (int a = 0; a < g.dimension(); ++a) {
    const Axis& axis = g.axis(a);
    // Round a periodic axis the middle is where the mean phase of the first harmonic points to, which knows
    // no ends, and then the first moment about it.
    std::complex<Real> phase = 0;
    for (Index n = 0; axis.periodic() && n < g.count(); ++n)
      phase += std::polar(1.0, 2 * M_PI * (axis.points()[g.position(n)[a]] - axis.from()) / axis.length()) *
               excess(n);
    Real middle =
        axis.periodic() ? axis.from() + axis.length() * std::arg(phase / mass) / (2 * M_PI) : axis.from();
    const auto distance = [&](Index n) {
      const Real d = axis.points()[g.position(n)[a]] - middle;
      return axis.periodic() ? d - axis.length() * std::round(d / axis.length()) : d;
    };
    Real first = 0, second = 0;
    for (Index n = 0; n < g.count(); ++n) first += excess(n) * distance(n);
    middle += first / mass;
    for (Index n = 0; n < g.count(); ++n) second += excess(n) * distance(n) * distance(n);
    if (second / mass >= 0) result.width[a] = std::sqrt(second / mass);
  }
  return result;
}

}  // namespace

namespace {

// On a line: how often it turns, plateaus counted once.
Index turns_of(const Axis& axis, const State& y, Real least) {
  const auto size = static_cast<Index>(y.size());
  Index turns = 0;
  int first = 0, last = 0;
  for (Index i = 0; i + (axis.periodic() ? 0 : 1) < size; ++i) {
    const Real change = y[(i + 1) % size] - y[i];
    if (std::abs(change) <= least) continue;
    const int sign = change > 0 ? 1 : -1;
    turns += last != 0 && sign != last ? 1 : 0;
    last = sign;
    if (first == 0) first = sign;
  }
  return turns + (axis.periodic() && first != last ? 1 : 0);
}

}  // namespace

Shape shape_of(Discretization& balance, const State& y) {
  expect(static_cast<Index>(y.size()) == balance.layout().size(), "shape_of: a state of the balance");
  const Grid& g = balance.grid();
  const Outline& outline = balance.outline();
  const Reductions& over = balance.reductions();
  const auto counts = [&](Index n) { return outline.active(n) && balance.domain(0).box().owns(n); };
  using At = std::array<Index, 3>;
  // Beside unknown n, which stands at this place; below 0 beyond boundaries.
  const auto beside = [&](Index n, const At& at, int a, bool up) {
    const Index size = g.size(a), next = at[static_cast<std::size_t>(a)] + (up ? 1 : -1);
    Index other = n + (up ? g.stride(a) : -g.stride(a));
    if (next < 0 || next >= size) {
      if (!g.axis(a).periodic()) return Index{-1};
      other += (next < 0 ? size : -size) * g.stride(a);
    }
    return outline.active(other) ? other : -1;
  };
  State terms(y.size());
  const auto sum_of = [&](const auto& term) {
    on_all_threads(
        g.lines(), threads_for(g.count(), balance.domain(0).threads()), [] { return 0; },
        [&](int, Index line) {
          At at{0, line % g.size(1), line / g.size(1)};
          for (Index n = g.size(0) * line; at[0] < g.size(0); ++at[0], ++n)
            terms[static_cast<std::size_t>(n)] = counts(n) ? term(n, at) : 0.0;
        });
    return over.sum(terms);
  };
  Shape result;
  result.square = sum_of([&](Index n, const At& at) {
    return g.volume(at[0], at[1], at[2]) * outline.volume_fraction(n) * y[n] * y[n];
  });
  result.variation = sum_of([&](Index n, const At& at) {
    Real sum = 0;
    for (int a = 0; a < g.dimension(); ++a) {
      const Index other = beside(n, at, a, true);
      if (other < 0) continue;
      Real across = 1;
      for (int b = 0; b < g.dimension(); ++b)
        if (b != a) across *= g.axis(b).widths()[at[b]];
      sum += across * std::abs(y[other] - y[n]);
    }
    return sum;
  });
  Real low = std::numeric_limits<Real>::infinity(), high = -low;
  for (Index n = 0; n < g.count(); ++n) {
    if (!counts(n)) continue;
    low = std::min(low, y[n]);
    high = std::max(high, y[n]);
  }
  const Real least = 1e-9 * (over.highest(high) + over.highest(-low));
  if (g.dimension() == 1 && outline.whole()) {
    result.extrema = turns_of(g.axis(0), y, least);
    return result;
  }
  result.extrema = static_cast<Index>(sum_of([&](Index n, const At& at) {
    bool above = true, below = true;
    for (int a = 0; a < g.dimension(); ++a)
      for (const bool up : {false, true}) {
        const Index other = beside(n, at, a, up);
        if (other >= 0) {
          above = above && y[n] > y[other] + least;
          below = below && y[n] < y[other] - least;
        } else if (g.size(a) > 1) {
          // What stands highest at a boundary is no extremum of its own.
          above = below = false;
        }
      }
    return above || below ? 1.0 : 0.0;
  }));
  return result;
}

PulseLoss pulse_loss(Discretization& balance, const State& before, const State& after) {
  expect(before.size() == after.size() && static_cast<Index>(after.size()) == balance.layout().size(),
         "pulse_loss: two states of the balance");
  const Real around = far_field(balance, before);
  const Spread first = spread_of(balance, before, around), last = spread_of(balance, after, around);
  return {last.height, first.height, last.width, first.width};
}

}  // namespace williwaw::verify
