// Runs of fixed steps, and how far their ends lie apart: what orders in time are measured with.
#pragma once

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>

#include "williwaw/williwaw.hpp"

namespace williwaw::test {

/// What the plain build measures in full need not be measured again where every access is checked.
#ifdef WILLIWAW_SANITIZED
inline constexpr bool instrumented = true;
#else
inline constexpr bool instrumented = false;
#endif
/// Blocks take minutes there and show nothing that plans do not.
inline constexpr int highest_dimension = instrumented ? 2 : 3;

/// Order between two errors, the second one at twice the resolution.
inline Real order_between(Real coarse, Real fine) {
  return std::log2(coarse / fine);
}

/// Not a number where one of the differences is none.
inline Real largest_difference(const State& a, const State& b) {
  Real most = 0;
  for (std::size_t n = 0; n < a.size() && most == most; ++n)
    if (const Real one = std::abs(a[n] - b[n]); !(one <= most)) most = one;
  return most;
}

/// How a balance is built for a scheme.
inline Execution built_for(const std::string& scheme_name, int threads = 0) {
  return {threads, semi_lagrangian(scheme(scheme_name))};
}

/// The state at `until` after so many equal steps; checks that the run got there and that its budget closed
/// to `budget`.
inline State solve(const Problem& problem, const Scheme& s, Index steps, Real until, Real budget) {
  ProblemBalance balance(problem);
  State state = balance.initial_state();
  Plan plan;
  plan.scheme = s;
  plan.until = until;
  plan.step = until / static_cast<Real>(steps);
  const Outcome outcome = march(balance, state, plan);
  CHECK(outcome.ending == Outcome::Ending::reached);
  CHECK(outcome.steps == steps);
  CHECK(outcome.budget.relative_residual() < budget);
  CHECK(outcome.budget.worst_step() < budget);
  return state;
}

}  // namespace williwaw::test
