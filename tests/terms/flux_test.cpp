// Flows through boundaries against exact ones: through prescribed nodes in particular, whose budget closes
// by definition and so proves nothing.
#include <doctest/doctest.h>

#include <cmath>

#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// sin(πx) decaying between prescribed ends: outflow through each end from 0 to T is (1 − exp(−π²T))/π.
Real inflow_error(const char* name, Unknowns unknowns, Index n) {
  Problem p(Grid({Axis::uniform("x", 0, 1, n, unknowns)}), diffusion(1.0));
  p.initial = [](Point q) { return std::sin(M_PI * q.x); };
  p.default_boundary(dirichlet(0.0));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme(name);
  plan.until = 0.1;
  plan.step = 0.2 / static_cast<Real>(n * n);
  plan.trim = true;
  const Outcome outcome = march(balance, y, plan);
  const Real exact = -(1 - std::exp(-M_PI * M_PI * 0.1)) / M_PI;
  CHECK(outcome.budget.amounts()[0] == doctest::Approx(outcome.budget.amounts()[1]).epsilon(1e-9));
  return std::abs(outcome.budget.amounts()[0] - exact);
}

}  // namespace

TEST_CASE("what flows through prescribed boundaries converges to the exact amount") {
  for (const char* name : {"explicit-euler", "rk4", "crank-nicolson"})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      CAPTURE(name);
      CAPTURE(name_of(unknowns));
      const Real coarse = inflow_error(name, unknowns, 10), fine = inflow_error(name, unknowns, 20);
      CHECK(fine < 2e-3);
      CHECK(order(coarse, fine) > 1.8);
    }
}

TEST_CASE("a prescribed node that swings: its boundary supplies what the exact solution takes") {
  // u = e^t·cosh(x)/cosh(1) on 0..1, u_t = u_xx: inflow at x = 1 is e^t·tanh(1), none at x = 0.
  for (const char* name : {"rk4", "crank-nicolson", "implicit-euler"}) {
    CAPTURE(name);
    Problem p(Grid({Axis::uniform("x", 0, 1, 80, Unknowns::nodes)}), diffusion(1.0));
    p.initial = [](Point q) { return std::cosh(q.x) / std::cosh(1.0); };
    p.boundary("west", insulated()).boundary("east", dirichlet([](Real t) { return std::exp(t); }));
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme(name);
    plan.until = 0.5;
    plan.step = 0.5 / 8000;
    const Outcome outcome = march(balance, y, plan);
    CHECK(outcome.budget.amounts()[0] == 0);
    CHECK(outcome.budget.amounts()[1] == doctest::Approx(std::tanh(1.0) * (std::exp(0.5) - 1)).epsilon(2e-4));
  }
}

TEST_CASE("signs: a cold boundary takes, a warm boundary gives") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells)}), diffusion(1.0));
  p.initial = 1.0;
  p.boundary("west", dirichlet(0.0)).boundary("east", robin(1, 5));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("implicit-euler");
  plan.until = 0.1;
  plan.step = 0.01;
  const Outcome outcome = march(balance, y, plan);
  CHECK(outcome.budget.amounts()[0] < 0);
  CHECK(outcome.budget.amounts()[1] > 0);
}
