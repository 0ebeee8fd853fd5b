// Steady states of advection and diffusion: against exact profiles, at low and high cell Peclet
// numbers.
#include <doctest/doctest.h>

#include "support/advected.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// u from 0 to 1 along x, v = 1: (exp(x/D) − 1)/(exp(1/D) − 1)
Real layer(Real x, Real diffusivity) {
  return std::expm1(x / diffusivity) / std::expm1(1 / diffusivity);
}

State steady(const Problem& problem, const SteadyRules& rules = {}, SteadyOutcome* outcome = nullptr) {
  ProblemBalance balance(problem);
  State y = balance.initial_state();
  const SteadyOutcome found = solve_steady(balance, y, 0, rules);
  CHECK(found.reached);
  Real net = 0;
  for (std::size_t l = 0; l < found.flows.size(); ++l) net += found.flows[l];
  CHECK(std::abs(net) < 1e-6 * found.flows.gross() + 1e-12);
  if (outcome) *outcome = found;
  return y;
}

Problem along(Index nodes, Real diffusivity, const std::string& flux) {
  Problem p(Grid({Axis::uniform("x", 0, 1, nodes - 1, Unknowns::nodes)}),
            transport(Velocity(1.0), diffusivity));
  p.numerical_flux = flux;
  p.boundary("west", dirichlet(0.0)).boundary("east", dirichlet(1.0));
  return p;
}

Real layer_error(Index nodes, Real diffusivity, const std::string& flux) {
  const State y = steady(along(nodes, diffusivity, flux));
  Real most = 0;
  for (Index i = 0; i < nodes; ++i)
    most = std::max(most,
                    std::abs(y[i] - layer(static_cast<Real>(i) / static_cast<Real>(nodes - 1), diffusivity)));
  return most;
}

}  // namespace

TEST_CASE("the central flux is of second order and wiggles beyond a cell Peclet number of 2") {
  CHECK(order_between(layer_error(41, 0.1, "central"), layer_error(81, 0.1, "central")) ==
        doctest::Approx(2).epsilon(0.05));
  CHECK(order_between(layer_error(81, 0.1, "upwind"), layer_error(161, 0.1, "upwind")) ==
        doctest::Approx(1).epsilon(0.15));
  // 20 intervals: the cell Peclet number is 0.05/D.
  for (const Real number : {1.0, 1.9, 2.5, 10.0}) {
    CAPTURE(number);
    const auto least = [&](const char* flux) {
      const State y = steady(along(21, 0.05 / number, flux));
      return *std::ranges::min_element(y);
    };
    CHECK((least("central") < -1e-6) == (number > 2));
    for (const char* flux : {"upwind", "hybrid", "power-law"}) CHECK(least(flux) >= -1e-12);
  }
}

TEST_CASE("blended fluxes follow the exact profile where upwinding smears it") {
  for (const Real number : {0.5, 1.0, 3.0, 8.0}) {
    CAPTURE(number);
    const Real upwind = layer_error(21, 0.05 / number, "upwind"),
               hybrid = layer_error(21, 0.05 / number, "hybrid"),
               power = layer_error(21, 0.05 / number, "power-law");
    CHECK(power < 0.15 * upwind);
    CHECK(hybrid < 0.75 * upwind);
    // (1 − P/10)⁵ is within a few thousandths of P/(exp(P) − 1).
    CHECK(power < 0.006);
  }
}

TEST_CASE("advection that turns round from an inlet to an outlet brings its profile along") {
  // After Smith and Hutton (1982): from the inlet (y = 0, x < 0) round to the outlet (y = 0, x > 0).
  const auto inlet = [](Real x) { return 1 + std::tanh(10 * (2 * x + 1)); };
  const auto solve_for = [&](Index n, Real diffusivity, const std::string& flux,
                             const std::string& reconstruction, const std::string& solver, State* values) {
    Problem p(
        Grid({Axis::uniform("x", -1, 1, 2 * n, Unknowns::cells),
              Axis::uniform("y", 0, 1, n, Unknowns::cells)}),
        transport(Velocity::of_stream_function([](Point q) { return -(1 - q.x * q.x) * (1 - q.y * q.y); }),
                  diffusivity));
    p.numerical_flux = flux;
    p.reconstruction = reconstruction;
    p.initial = 1.0;
    const Boundary far = dirichlet(1 - std::tanh(10.0));
    p.boundary("west", far).boundary("east", far).boundary("north", far).boundary("south", outflow());
    p.part({"inlet", "south", {}, inside([](const Point& q) { return q.x < 0; }), dirichlet([inlet](Point q) {
              return inlet(q.x);
            })});
    SteadyRules rules;
    rules.solver = solver;
    rules.tolerance = 1e-9;
    SteadyOutcome outcome;
    State y = steady(p, rules, &outcome);
    if (values) *values = y;
    // The profile on its way out, against the one that came in.
    Real error = 0;
    for (Index i = 0; i < n; ++i) {
      const Real x = (static_cast<Real>(i) + 0.5) / static_cast<Real>(n);
      error += std::abs(y[n + i] - inlet(-x)) / static_cast<Real>(n);
    }
    return error;
  };
  // Hardly any diffusion: what comes out should be what came in.
  const Real first = solve_for(40, 1e-6, "upwind", "first-order", "auto", nullptr),
             limited = solve_for(40, 1e-6, "upwind", "van-leer", "auto", nullptr);
  CHECK(first > 0.1);
  CHECK(limited < 0.35 * first);
  CHECK(solve_for(80, 1e-6, "upwind", "first-order", "auto", nullptr) < 0.75 * first);
  // With much diffusion all fluxes agree, and solvers too.
  State central, hybrid, other;
  solve_for(40, 0.1, "central", "first-order", "direct", &central);
  solve_for(40, 0.1, "hybrid", "first-order", "bicgstab", &hybrid);
  solve_for(40, 0.1, "central", "first-order", "bicgstab", &other);
  CHECK(largest_difference(central, hybrid) < 1e-6);
  CHECK(largest_difference(central, other) < 1e-6);
}

TEST_CASE("the matrix is the derivative of the rate, boundaries and outlines included") {
  const std::vector<Region> cut{
      {"islet", inside([](const Point& q) { return std::hypot(q.x - 0.6, q.y - 0.4) < 0.2; }), false}};
  for (const char* flux : {"central", "upwind", "hybrid", "power-law", "lax-friedrichs"}) {
    CAPTURE(flux);
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 9, Unknowns::cells), Axis::uniform("y", 0, 1, 7, Unknowns::cells)}),
        transport(Velocity([](Point q) { return 1 + q.y; }, [](Point q) { return std::sin(4 * q.x); }), 0.07,
                  1.3),
        Regions(cut));
    p.numerical_flux = flux;
    p.boundary("west", dirichlet([](Point q) { return q.y; }))
        .boundary("east", outflow())
        .boundary("south", gradient(0.4));
    p.boundary("north", outflow_with_backflow(0.7)).default_boundary(insulated());
    ProblemBalance balance(p);
    State y(static_cast<std::size_t>(p.grid().count()), 0.0), f0 = y, f1 = y;
    Ledger ledger(balance.lines().size());
    LinearSystem system;
    balance.linearise(y, 0, 0, 1, Parts::all(), system);
    std::vector<std::vector<Real>> dense(y.size(), std::vector<Real>(y.size(), 0.0));
    for (const auto& e : triplets_of(system)) dense[e.row][e.column] += e.value;
    balance.rate(y, 0, Parts::all(), f0, ledger);
    Real worst = 0;
    for (std::size_t n = 0; n < y.size(); ++n) {
      if (!balance.outline().active(static_cast<Index>(n))) continue;
      y[n] = 1;
      balance.rate(y, 0, Parts::all(), f1, ledger);
      y[n] = 0;
      for (std::size_t m = 0; m < y.size(); ++m)
        if (balance.outline().active(static_cast<Index>(m)))
          worst = std::max(worst, std::abs(f1[m] - f0[m] + dense[m][n]));
    }
    CHECK(worst < 1e-12);
  }
}

TEST_CASE(
    "about a uniform state the matrix of a law is the derivative of its rate, whatever the faces' areas "
    "are") {
  for (const Real about : {0.8, -0.5}) {
    CAPTURE(about);
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 6, Unknowns::cells), Axis::uniform("y", 0, 0.3, 5, Unknowns::cells)}),
        conservation(quadratic_flux(), 0.05));
    p.numerical_flux = "upwind";
    p.boundary("west", dirichlet(about)).boundary("east", dirichlet(about)).default_boundary(insulated());
    ProblemBalance balance(p);
    const auto count = static_cast<std::size_t>(p.grid().count());
    State y(count, about), more(count), less(count);
    Ledger ledger(balance.lines().size());
    LinearSystem system;
    balance.linearise(y, 0, 0, 1, Parts::all(), system);
    std::vector<std::vector<Real>> dense(count, std::vector<Real>(count, 0.0));
    for (const auto& e : triplets_of(system))
      dense[static_cast<std::size_t>(e.row)][static_cast<std::size_t>(e.column)] += e.value;
    constexpr Real small = 1e-6;
    Real worst = 0;
    for (std::size_t n = 0; n < count; ++n) {
      y[n] = about + small;
      balance.rate(y, 0, Parts::all(), more, ledger);
      y[n] = about - small;
      balance.rate(y, 0, Parts::all(), less, ledger);
      y[n] = about;
      for (std::size_t m = 0; m < count; ++m)
        worst = std::max(worst, std::abs((more[m] - less[m]) / (2 * small) + dense[m][n]));
    }
    CHECK(worst < 1e-7);
  }
}
