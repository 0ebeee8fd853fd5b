// Two unknowns that turn into each other.
#pragma once

#include "williwaw/terms/problem_balance.hpp"
#include "williwaw/time/march.hpp"

namespace williwaw::test {

/// first' = second − 3·first, second' = −first': the sum stays, first − second/3 falls as exp(−4t).
inline SystemReaction turning() {
  return [](const Points&, Real, std::span<const std::span<const Real>> y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      out[0][i] = y[1][i] - 3 * y[0][i];
      out[1][i] = -out[0][i];
    }
  };
}

/// From y on, by equal steps.
inline Outcome advance_system(ProblemBalance& balance, State& y, const std::string& name, Real step,
                              Real until) {
  Plan plan;
  plan.scheme = scheme(name);
  plan.step = step;
  plan.until = until;
  return march(balance, y, plan);
}

}  // namespace williwaw::test
