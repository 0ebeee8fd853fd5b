#include <doctest/doctest.h>

#include <cmath>

#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// Marches to where nothing changes any more.
State settle(ProblemBalance& balance) {
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("implicit-euler");
  plan.step = 1e4;
  plan.until = 1e5;
  march(balance, y, plan);
  return y;
}

}  // namespace

TEST_CASE("a slab of two layers is exact wherever the interface lies on a face or node") {
  // k = 1 up to x = 0.4, then 5: with prescribed ends the flux is 1/(0.4/1 + 0.6/5).
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    Problem p(Grid({Axis("x", {0, 0.1, 0.4, 0.5, 1}, unknowns)}),
              diffusion([](Point q) { return q.x < 0.4 ? 1.0 : 5.0; }));
    p.boundary("west", dirichlet(0.0)).boundary("east", dirichlet(1.0));
    ProblemBalance balance(p);
    const State y = settle(balance);
    const Real q = 1 / (0.4 + 0.12);
    for (Index n = 0; n < p.grid().count(); ++n) {
      const Real x = p.grid().point_of(n).x;
      CHECK(y[n] == doctest::Approx(x < 0.4 ? q * x : q * 0.4 + q * (x - 0.4) / 5).epsilon(1e-9));
    }
  }
}

TEST_CASE("linear profiles and quadratic ones under a uniform source are exact at nodes") {
  Problem p(Grid({Axis("x", {0, 0.2, 0.5, 0.6, 1}, Unknowns::nodes)}), diffusion(2.0, 1.0, 3.0));
  p.boundary("west", dirichlet(1.0)).boundary("east", gradient(0.5));
  ProblemBalance balance(p);
  const State y = settle(balance);
  // 2u'' = −3, u(0) = 1, u'(1) = 1/2.
  for (Index n = 0; n < p.grid().count(); ++n) {
    const Real x = p.grid().point_of(n).x;
    CHECK(y[n] == doctest::Approx(1 + 2 * x - 0.75 * x * x).epsilon(1e-9));
  }
}

TEST_CASE("a balance lays its unknowns out as its grid does") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    Problem p(Grid({Axis::uniform("x", 0, 1, 4, unknowns), Axis::uniform("y", 0, 1, 3, unknowns)}),
              diffusion(1.0));
    p.default_boundary(insulated());
    const ProblemBalance balance(p);
    REQUIRE(balance.layout().blocks().size() == 1);
    const Block& block = balance.layout().blocks()[0];
    CHECK(block.placement == (unknowns == Unknowns::cells ? Placement::cells : Placement::nodes));
    CHECK(block.extent == std::array<Index, 3>{p.grid().size(0), p.grid().size(1), 1});
    CHECK(balance.layout().size() == p.grid().count());
  }
}

TEST_CASE("nodes shared by two prescribed boundaries take their mean and their flow is shared") {
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 4, Unknowns::nodes), Axis::uniform("y", 0, 1, 4, Unknowns::nodes)}),
      diffusion(1.0));
  p.boundary("west", dirichlet(2.0)).boundary("south", dirichlet(4.0)).default_boundary(insulated());
  ProblemBalance balance(p);
  State y(25, 0.0);
  balance.prescribe(0, y);
  CHECK(y[0] == 3);
  CHECK(y[1] == 4);
  CHECK(y[5] == 2);
  CHECK(balance.prescribed().size() == 9);
  Plan plan;
  plan.scheme = scheme("rk4");
  plan.step = 0.01;
  plan.until = 0.5;
  State z = balance.initial_state();
  const Outcome outcome = march(balance, z, plan);
  CHECK(outcome.budget.relative_residual() < 1e-13);
  CHECK(outcome.budget.amounts()[0] < 0);  // the colder of the two takes what the other gives
  CHECK(outcome.budget.amounts()[2] > 0);
}

TEST_CASE("a problem turned by a quarter gives the same solution turned") {
  const auto run = [](bool turned) {
    const Axis a("x", graded(7, 0.3), Unknowns::cells), b("y", graded(5, -0.2), Unknowns::cells);
    const auto swap = [turned](Point q) { return turned ? Point{q.y, q.x, 0} : q; };
    Problem p(turned ? Grid({Axis("x", graded(5, -0.2), Unknowns::cells),
                             Axis("y", graded(7, 0.3), Unknowns::cells)})
                     : Grid({a, b}),
              diffusion([swap](Point q) { return 1 + swap(q).x; }));
    p.initial = [swap](Point q) { return swap(q).x * swap(q).y; };
    p.boundary(turned ? "south" : "west", robin(3, 2)).default_boundary(insulated());
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme("crank-nicolson");
    plan.step = 0.01;
    plan.until = 0.1;
    march(balance, y, plan);
    return y;
  };
  const State straight = run(false), turned = run(true);
  for (Index i = 0; i < 7; ++i)
    for (Index j = 0; j < 5; ++j)
      CHECK(straight[i + 7 * j] == doctest::Approx(turned[j + 5 * i]).epsilon(1e-12));
}

TEST_CASE("coefficients that cannot be are refused") {
  const Grid g({Axis::uniform("x", 0, 1, 4, Unknowns::cells)});
  const auto build = [&](const Equation& e) {
    Problem p(g, e);
    p.default_boundary(insulated());
    ProblemBalance balance(p);
    State y = balance.initial_state(), f(y.size());
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
  };
  CHECK_THROWS_AS(build(diffusion(-1.0)), InputError);
  CHECK_THROWS_AS(build(diffusion(1.0, 0.0)), InputError);
  CHECK_THROWS_AS(build(diffusion([](Point p) { return p.x - 0.5; })), InputError);
  CHECK_THROWS_AS(build(diffusion(1.0, [](Point p) { return p.x - 0.5; })), InputError);
  CHECK_THROWS_AS(build(diffusion(1.0, 1.0, [](Point) { return NAN; })), InputError);
}
