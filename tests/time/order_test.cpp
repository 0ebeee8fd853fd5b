// Observed orders in time, against the same semi-discrete system solved with tiny steps.
#include <doctest/doctest.h>

#include "support/marching.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

State solve(const Problem& problem, const Scheme& s, Index steps, Real until) {
  return test::solve(problem, s, steps, until, 1e-12);
}

}  // namespace

TEST_CASE("orders in time 1, 1, 2, 4 with boundaries and sources that vary in time" *
          doctest::skip(instrumented)) {
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
  for (const int dimension : {2, 3}) {
    const Problem problem = smooth_problem(smooth_for("robin", dimension), "robin", 5, Unknowns::nodes);
    const State reference = solve(problem, scheme("rk4"), 400, 0.1);
    CHECK(largest_difference(solve(problem, scheme("crank-nicolson"), 100, 0.1), reference) < 1e-5);
    CHECK(largest_difference(solve(problem, scheme("explicit-euler"), 400, 0.1), reference) < 2e-3);
  }
}
