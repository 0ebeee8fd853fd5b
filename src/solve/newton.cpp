#include "williwaw/solve/newton.hpp"

#include <cmath>

namespace williwaw {

namespace {
Real largest_of(const State& v) {
  Real most = 0;
  for (const Real x : v)
    if (!(std::abs(x) <= most)) most = std::abs(x);
  return most;
}
}  // namespace

NewtonResult newton(State& y, const NewtonRules& rules,
                    const std::function<void(const State&, State&)>& residual,
                    const std::function<void(const State&, const State&, State&)>& correct) {
  const auto largest = [&](const State& v) { return rules.largest ? rules.largest(v) : largest_of(v); };
  State r(y.size()), d(y.size()), trial(y.size());
  NewtonResult result;
  residual(y, r);
  result.residual = largest(r);
  Real least = rules.tolerance * rules.scale;
  while (result.iterations < rules.iterations) {
    if (result.iterations > 0 && result.residual <= least) return result;
    correct(y, r, d);
    ++result.iterations;
    if (rules.round_off) least = std::max(rules.tolerance * rules.scale, rules.round_off(y));
    if (rules.linear) {
      for (std::size_t n = 0; n < y.size(); ++n) y[n] += d[n];
      return result;
    }
    Real length = 1, next = 0;
    for (int halving = 0; halving < 8; ++halving, length *= 0.5) {
      for (std::size_t n = 0; n < y.size(); ++n) trial[n] = y[n] + length * d[n];
      residual(trial, r);
      next = largest(r);
      if (next <= result.residual) break;
    }
    if (!std::isfinite(next))
      throw SolverError("Newton's method finds no finite residual along its correction, however short");
    const bool stalled = !(next < result.residual);
    y = trial;
    result.residual = next;
    // Round-off can keep the residual just above the tolerance; no iteration improves on that.
    if (stalled && next <= 1e3 * least) return result;
  }
  if (!(result.residual <= least))
    throw SolverError("Newton's method did not converge in " + std::to_string(rules.iterations) +
                      " iterations: the residual is " + to_text(result.residual) + ", " + to_text(least) +
                      " was asked for");
  return result;
}

}  // namespace williwaw
