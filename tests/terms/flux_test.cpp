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

TEST_CASE(
    "the flux along an axis: exact through layers, of order 2 elsewhere, and on sides what crosses them") {
  const Regions stone({{"stone", inside([](Point q) { return q.x > 0.37; })}});
  const auto labels = std::make_shared<const Regions>(stone);
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(name_of(unknowns));
    Equation e = diffusion(Function::by_region(labels, {2.0, 0.5}));
    Problem p(Grid({Axis::uniform("x", 0, 1, 20, unknowns), Axis::uniform("y", 0, 0.5, 4, unknowns)}), e,
              stone);
    p.boundary("west", dirichlet(10.0)).boundary("east", robin(4, 0));
    p.boundary("south", insulated()).boundary("north", insulated());
    ProblemBalance balance(p);
    State y = balance.initial_state();
    SteadyRules rules;
    rules.tolerance = 1e-13;
    CHECK(solve_steady(balance, y, 0, rules).reached);
    const Field along = balance.flux_along(0, y, 0, 0), across = balance.flux_along(1, y, 0, 0);
    const Real exact = 10 / (0.37 / 2 + 0.63 / 0.5 + 1.0 / 4);
    for (Index n = 0; n < p.grid().count(); ++n) {
      CHECK(along[n] == doctest::Approx(exact).epsilon(1e-8));
      CHECK(std::abs(across[n]) < 1e-8);
    }
    CHECK(along.sample({0, 0.2, 0}) == doctest::Approx(exact).epsilon(1e-8));
    CHECK(along.sample({1, 0.2, 0}) == doctest::Approx(exact).epsilon(1e-8));
  }
  // −k·u_x of a profile that is no straight line, along x and along r.
  for (const bool round : {false, true}) {
    Real last = 0;
    for (const Index n : {20, 40}) {
      std::vector<Real> faces;
      for (Index i = 0; i <= n; ++i) faces.push_back(1 + static_cast<Real>(i) / static_cast<Real>(n));
      Problem p(Grid({round ? Axis::radial(Coordinates::spherical, faces, Unknowns::cells)
                            : Axis("x", faces, Unknowns::cells)}),
                diffusion(3.0));
      p.initial = [](Point q) { return std::sin(2 * q.x); };
      p.default_boundary(insulated());
      ProblemBalance balance(p);
      const Field flux = balance.flux_along(0, balance.initial_state(), 0, 0);
      Real error = 0;
      for (Index i = 1; i + 1 < n; ++i)
        error = std::max(error, std::abs(flux[i] + 6 * std::cos(2 * p.grid().point(i).x)));
      CHECK(error < 0.05);
      if (last > 0) CHECK(order(last, error) > 1.8);
      last = error;
      CHECK(std::abs(flux.sample({1, 0, 0})) < 1e-12);
    }
  }
}
