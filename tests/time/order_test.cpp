// Observed orders in time, against the same semi-discrete system solved with tiny steps.
#include <doctest/doctest.h>

#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

State solve(const Problem& problem, const Scheme& s, Index steps, Real until) {
  DiffusionBalance balance(problem);
  State state = balance.initial_state();
  Plan plan;
  plan.scheme = s;
  plan.until = until;
  plan.step = until / static_cast<Real>(steps);
  const Outcome outcome = march(balance, state, plan);
  CHECK(outcome.ending == Outcome::Ending::reached);
  CHECK(outcome.steps == steps);
  CHECK(outcome.budget.relative_residual() < 1e-12);
  CHECK(outcome.budget.worst_step() < 1e-12);
  return state;
}

Real largest_difference(const State& a, const State& b) {
  Real most = 0;
  for (std::size_t n = 0; n < a.size(); ++n) most = std::max(most, std::abs(a[n] - b[n]));
  return most;
}

}  // namespace

TEST_CASE("orders in time 1, 1, 2, 4 with walls and sources that vary in time") {
  const Real until = 0.3;
  for (const std::string kind : {"dirichlet", "robin", "two", "periodic"})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      CAPTURE(kind);
      CAPTURE(name_of(unknowns));
      const Problem problem = smooth_problem(smooth_for(kind, 1), kind, 8, unknowns);
      const State reference = solve(problem, scheme("rk4"), 6000, until);
      const auto measured = [&](const Scheme& s, Index steps) {
        const Real coarse = largest_difference(solve(problem, s, steps, until), reference);
        const Real fine = largest_difference(solve(problem, s, 2 * steps, until), reference);
        return order(coarse, fine);
      };
      CHECK(measured(scheme("explicit-euler"), 200) == doctest::Approx(1).epsilon(0.08));
      CHECK(measured(scheme("implicit-euler"), 100) == doctest::Approx(1).epsilon(0.08));
      CHECK(measured(scheme("crank-nicolson"), 60) == doctest::Approx(2).epsilon(0.05));
      CHECK(measured(scheme("theta", 0.6), 100) == doctest::Approx(1).epsilon(0.12));
      CHECK(measured(scheme("theta", 0.5), 60) == doctest::Approx(2).epsilon(0.05));
      CHECK(measured(scheme("rk4"), 120) == doctest::Approx(4).epsilon(0.05));
    }
}

TEST_CASE("schemes agree in two and three dimensions") {
  for (const int rank : {2, 3}) {
    const Problem problem = smooth_problem(smooth_for("robin", rank), "robin", 5, Unknowns::nodes);
    const State reference = solve(problem, scheme("rk4"), 400, 0.1);
    CHECK(largest_difference(solve(problem, scheme("crank-nicolson"), 100, 0.1), reference) < 1e-5);
    CHECK(largest_difference(solve(problem, scheme("explicit-euler"), 400, 0.1), reference) < 2e-3);
  }
}
