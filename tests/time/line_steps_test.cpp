// Steps of the theta family along a line, in chunks: the same as with a right-hand side and a direct solver.
#include <doctest/doctest.h>

#include <cmath>

#include "support/systems.hpp"

using namespace williwaw;

namespace {

struct Ran {
  State y;
  Outcome outcome;
};

Ran ran(const Problem& p, const std::string& name, Real step, Index steps, const std::string& solver,
        int threads = 1) {
  ProblemBalance balance(p, {threads});
  Ran result{balance.initial_state(), {}};
  Plan plan;
  plan.scheme = scheme(name, 0.7);
  plan.step = step;
  plan.until = step * static_cast<Real>(steps);
  plan.solver = solver;
  result.outcome = march(balance, result.y, plan);
  return result;
}

std::vector<Real> uneven_faces(Index cells) {
  std::vector<Real> faces{0};
  for (Index i = 0; i < cells; ++i)
    faces.push_back(faces.back() + 1 + 0.8 * std::sin(0.01 * static_cast<Real>(i)));
  for (Real& f : faces) f /= faces.back();
  faces.back() = 1;
  return faces;
}

Problem rod_of(const Axis& axis, Equation equation) {
  Problem p(Grid({axis}), equation);
  p.initial = [](Point q) { return 1 + std::sin(40 * q.x) + (q.x > 0.3 && q.x < 0.4 ? 2.0 : 0.0); };
  p.boundary("west", dirichlet(0.5)).boundary("east", robin(2.0, 1.0));
  return p;
}

}  // namespace

TEST_CASE("steps along a line are those of a direct solver, for every reach, storage and boundary") {
  const Index cells = 9000;
  const Axis even = Axis::uniform("x", 0, 1, cells, Unknowns::cells);
  const Axis uneven("x", uneven_faces(cells), Unknowns::cells);
  const Function varies([](Point q) { return 1 + 0.9 * std::sin(60 * q.x); });
  Equation sourced = diffusion(varies, 1.0, 1.0);
  sourced.source = Function([](Point q, Real t) { return 30 * std::cos(9 * q.x + 2e6 * t); });
  Equation stored = heat(
      varies, [](Point q) { return 1 + q.x; }, 2.0);
  Problem swinging = rod_of(uneven, diffusion(varies));
  swinging.boundary("east", flux([](Real t) { return 3 * std::sin(1e6 * t); }));
  const Problem problems[] = {rod_of(even, diffusion(1.0)), rod_of(uneven, stored), rod_of(even, sourced),
                              swinging, rod_of(uneven, transport(Velocity(30.0), 1.0))};
  for (const Problem& p : problems)
    for (const char* name : {"crank-nicolson", "theta", "implicit-euler"})
      // From neighbours that hardly matter to a line of which every cell hears of every other.
      for (const Real number : {0.3, 20.0, 3e3, 1e7}) {
        const Real step = number / static_cast<Real>(cells * cells);
        CAPTURE(name);
        CAPTURE(number);
        const Ran chunks = ran(p, name, step, 4, "auto"), direct = ran(p, name, step, 4, "direct");
        CHECK(chunks.outcome.solver == "Thomas");
        // A direct solver loses digits as steps grow; the budget of chunks does not.
        const Real rounding = 1e-11 + 1e-16 * number;
        CHECK(test::difference(chunks.y, direct.y) < rounding);
        CHECK(chunks.outcome.budget.relative_residual() < 3e-12);
        const auto &a = chunks.outcome.budget.amounts(), &b = direct.outcome.budget.amounts();
        REQUIRE(a.size() == b.size());
        for (std::size_t l = 0; l < a.size(); ++l) CHECK(std::abs(a[l] - b[l]) <= 10 * rounding * b.gross());
      }
}

TEST_CASE("threads and interruptions do not show in steps along a line") {
  Problem p = rod_of(Axis::uniform("x", 0, 1, 50000, Unknowns::cells),
                     diffusion([](Point q) { return 1 + 0.5 * q.x; }));
  for (const Real number : {1.0, 1e4}) {
    const Real step = number / 25e8;
    const Ran one = ran(p, "crank-nicolson", step, 3, "auto", 1);
    CHECK(ran(p, "crank-nicolson", step, 3, "auto", 2).y == one.y);
    CHECK(ran(p, "crank-nicolson", step, 3, "auto", 3).y == one.y);
    const Totals counted = ProblemBalance(p).totals(one.y, 0);
    CHECK(one.outcome.totals.content == counted.content);
    CHECK(one.outcome.totals.lowest == counted.lowest);
  }
}
