// Problems of something advected, marched to an end, and their errors.
#pragma once

#include <functional>

#include "support/marching.hpp"

namespace williwaw::test {

/// The end of a run and what was noted on the way.
struct Advected {
  State state, start;
  Outcome outcome;
  std::vector<LedgerLine> lines;
};

/// Marches with the largest step up to `courant` that ends at `until`; `fastest` is a bound of the speed over
/// the width summed over axes.
inline Advected advect(const Problem& problem, const std::string& scheme_name, Real courant, Real fastest,
                       Real until, const Observers& observers = {}, bool guard = true) {
  ProblemBalance balance(problem, built_for(scheme_name));
  Advected result;
  result.start = result.state = balance.initial_state();
  Plan plan;
  plan.scheme = scheme(scheme_name);
  plan.until = until;
  plan.step = until / std::ceil(until * fastest / courant - 1e-9);
  plan.guard = guard;
  result.outcome = march(balance, result.state, plan, observers);
  result.lines = balance.lines();
  return result;
}

/// Mean magnitude of the difference to an exact solution, as the balance holds it.
inline Real mean_error(const Problem& problem, const State& state, const Function& exact, Real at = 0) {
  const ProblemBalance balance(problem);
  const State right = balance.values_of(exact, at);
  Real sum = 0;
  for (std::size_t n = 0; n < state.size(); ++n)
    sum += problem.grid().volume_of(static_cast<Index>(n)) * std::abs(state[n] - right[n]);
  return sum / problem.grid().volume();
}

inline Grid periodic_line(Index cells, Real length = 1) {
  return Grid({Axis(
      "x",
      [&] {
        std::vector<Real> faces;
        for (Index i = 0; i <= cells; ++i)
          faces.push_back(length * static_cast<Real>(i) / static_cast<Real>(cells));
        return faces;
      }(),
      Unknowns::cells, true)});
}

inline Grid periodic_plan(Index cells) {
  const auto faces = [&] {
    std::vector<Real> m;
    for (Index i = 0; i <= cells; ++i) m.push_back(static_cast<Real>(i) / static_cast<Real>(cells));
    return m;
  }();
  return Grid({Axis("x", faces, Unknowns::cells, true), Axis("y", faces, Unknowns::cells, true)});
}

inline Real total_variation(const State& u, bool periodic = true) {
  Real sum = periodic ? std::abs(u.front() - u.back()) : 0;
  for (std::size_t n = 1; n < u.size(); ++n) sum += std::abs(u[n] - u[n - 1]);
  return sum;
}

}  // namespace williwaw::test
