// Two unknowns that turn into each other.
#pragma once

#include <cmath>

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

/// The largest difference between the matrix of a balance and the derivative of its rates, by differences.
inline Real worst_of_matrix(TermBalance& balance, const State& y) {
  LinearSystem system;
  balance.linearise(y, 0, 0, 1, Parts::all(), system);
  const auto size = y.size();
  std::vector<std::vector<Real>> matrix(size, std::vector<Real>(size, 0.0));
  for (const Triplet& t : triplets_of(system))
    matrix[static_cast<std::size_t>(t.row)][static_cast<std::size_t>(t.column)] += t.value;
  std::vector<char> prescribed(size, 0);
  for (const Index n : balance.prescribed()) prescribed[static_cast<std::size_t>(n)] = 1;
  Ledger ignored(balance.lines().size());
  Real worst = 0;
  for (std::size_t c = 0; c < size; ++c) {
    if (prescribed[c]) continue;
    State high = y, low = y, fh(size), fl(size);
    high[c] += 1e-5;
    low[c] -= 1e-5;
    balance.rate(high, 0, Parts::all(), fh, ignored);
    balance.rate(low, 0, Parts::all(), fl, ignored);
    for (std::size_t r = 0; r < size; ++r)
      if (!prescribed[r]) worst = std::max(worst, std::abs(matrix[r][c] + (fh[r] - fl[r]) / 2e-5));
  }
  return worst;
}

}  // namespace williwaw::test
