// Unknowns that diffuse down each other's gradients, and oscillations that schemes must not let grow.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "support/pairs.hpp"
#include "williwaw/verify/stability.hpp"
#include "williwaw/verify/uniform_state.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Problem diffusing(const Grid& g, const std::string& name, Real diffusivity, const Function& initial) {
  Equation e = diffusion(diffusivity);
  e.unknown = name;
  e.may_be_still = true;
  Problem p(g, e);
  p.initial = initial;
  return p;
}

CrossDiffusion constant_crossing(std::size_t of, std::size_t by, Real diffusivity) {
  CrossDiffusion c{of, by, [diffusivity](const Points&, Real, UnknownLines, std::span<Real> out) {
                     for (Real& v : out) v = diffusivity;
                   }};
  c.on_unknowns = c.on_place = c.on_time = false;
  return c;
}

// Up the gradient of `by` in proportion to `of`, as of what is drawn to it.
CrossDiffusion drawn(std::size_t of, std::size_t by, Real by_unit, bool slopes) {
  CrossDiffusion c{of, by, [of, by_unit](const Points&, Real, UnknownLines u, std::span<Real> out) {
                     for (std::size_t i = 0; i < out.size(); ++i) out[i] = -by_unit * u[of][i];
                   }};
  if (slopes)
    c.slopes = [of, by_unit](const Points&, Real, UnknownLines, std::span<std::span<Real>> out) {
      for (std::size_t k = 0; k < out.size(); ++k) std::ranges::fill(out[k], k == of ? -by_unit : 0.0);
    };
  return c;
}

std::unique_ptr<ProblemBalance> pair_of(const Problem& u, const Problem& v,
                                        std::vector<CrossDiffusion> crossing, SystemReaction reaction = {}) {
  return std::make_unique<ProblemBalance>(System{{u, v}, std::move(reaction), nullptr, std::move(crossing)});
}

}  // namespace

TEST_CASE("waves of two unknowns that cross decay by the eigenvalues of their diffusivities") {
  // (0.3, 0.2; 0.1, 0.4) has the eigenvalues 0.5 and 0.2, with (1, 1) and (2, -1).
  const Real k = 2 * M_PI;
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g({Axis::uniform("x", 0, 1, 64, unknowns, true)});
    for (const auto& [first, second, rate] : {std::tuple{1.0, 1.0, 0.5}, {2.0, -1.0, 0.2}}) {
      const Problem u = diffusing(g, "u", 0.3, [&, a = first](Point p) { return a * std::cos(k * p.x); }),
                    v = diffusing(g, "v", 0.4, [&, a = second](Point p) { return a * std::cos(k * p.x); });
      const auto balance = pair_of(u, v, {constant_crossing(0, 1, 0.2), constant_crossing(1, 0, 0.1)});
      CHECK(balance->capabilities().linear);
      // Of the differences, whose symbol is exact.
      const Real h = 1.0 / 64, symbol = 4 / (h * h) * std::pow(std::sin(0.5 * k * h), 2);
      for (const char* name : {"rk4", "crank-nicolson", "implicit-explicit"}) {
        CAPTURE(name);
        State y = balance->initial_state();
        const State start = y;
        const Outcome o = advance_system(*balance, y, name, 1e-4, 0.05);
        const Real due = std::exp(-rate * symbol * 0.05);
        const Real off = name == std::string("implicit-explicit") ? 2e-3 : 1e-6;
        CHECK(y[0] / start[0] == doctest::Approx(due).epsilon(off));
        CHECK(y[64 + 20] / start[64 + 20] == doctest::Approx(due).epsilon(off));
        CHECK(o.budget.worst_step() < 1e-13);
      }
    }
  }
}

TEST_CASE("the matrix of unknowns that cross is the derivative of their rates") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const bool slopes : {true, false}) {
      CAPTURE(slopes);
      const Grid g({Axis("x", std::vector<Real>{0, 0.2, 0.5, 0.7, 1}, unknowns),
                    Axis::uniform("y", 0, 1, 4, unknowns, true)});
      Problem u = diffusing(g, "u", 0.3, [](Point p) { return 1 + 0.3 * std::sin(4 * p.x + p.y); }),
              v = diffusing(g, "v", 0.7, [](Point p) { return 0.8 + 0.2 * std::cos(3 * p.x); });
      // Nothing crosses a side that holds neither value; on the other one both are held.
      u.boundary("west", flux(0.3)).boundary("east", dirichlet(1.0));
      v.boundary("west", robin(2.0, 0.5)).boundary("east", dirichlet(0.4));
      const auto balance = pair_of(u, v, {drawn(0, 1, 0.4, slopes), constant_crossing(1, 0, 0.1)});
      State y = balance->initial_state();
      balance->prescribe(0, y);
      // What the diffusivity on the boundary owes to values beside it is left out; here it is held.
      CHECK(worst_of_matrix(*balance, y) < 1e-7);
      CHECK_FALSE(balance->capabilities().linear);
    }
}

TEST_CASE("what is drawn up a gradient stays: the budget closes, and nothing leaves through closed sides") {
  const Grid g(
      {Axis::uniform("x", 0, 1, 24, Unknowns::cells), Axis::uniform("y", 0, 1, 10, Unknowns::cells)});
  Problem u = diffusing(g, "u", 0.01, 1.0),
          v = diffusing(g, "v", 0.0, [](Point p) { return std::cos(M_PI * p.x) + 0.3 * p.y; });
  u.default_boundary(insulated());
  v.default_boundary(insulated());
  const auto balance = pair_of(u, v, {drawn(0, 1, 0.2, true)});
  for (const char* name : {"rk2", "implicit-euler"}) {
    State y = balance->initial_state();
    const Outcome o = advance_system(*balance, y, name, 2e-3, 0.2);
    CHECK(o.ending == Outcome::Ending::reached);
    const auto totals = balance->totals_by_unknown(y, 0.2);
    CHECK(totals[0].content == doctest::Approx(1).epsilon(1e-12));
    CHECK(o.budget.worst_step() < 1e-12);
    // Towards the higher values of v, which are in the west and in the north.
    CHECK(y[24 * 9] > 1.2);
    CHECK(y[23] < 0.9);
  }
  // Through a boundary that holds a value it flows, and that is booked there.
  u.boundary("west", dirichlet(1.0));
  const auto open = pair_of(u, v, {drawn(0, 1, 0.2, true)});
  State y = open->initial_state();
  const Outcome o = advance_system(*open, y, "rk2", 2e-3, 0.02);
  CHECK(o.budget.worst_step() < 1e-12);
  CHECK(std::abs(o.budget.relative_residual_of(0, open->totals_by_unknown(y, 0.02)[0])) < 1e-13);
}

TEST_CASE("cross diffusion is refused where a gradient beside a boundary is not known") {
  const Grid g({Axis::uniform("x", 0, 1, 8, Unknowns::cells)});
  Problem u = diffusing(g, "u", 0.3, 1.0), v = diffusing(g, "v", 0.7, 1.0);
  u.default_boundary(insulated()).boundary("west", dirichlet(1.0));
  v.default_boundary(insulated());
  CHECK_NOTHROW(pair_of(u, v, {constant_crossing(0, 1, 0.2)}));
  CHECK_THROWS_WITH_AS(pair_of(u, v, {constant_crossing(0, 1, 0.2), constant_crossing(1, 0, 0.2)}),
                       doctest::Contains("'west': cross diffusion needs the gradient"), InputError);
  CHECK_THROWS_AS(pair_of(u, v, {constant_crossing(0, 0, 0.2)}), InputError);
  CHECK_THROWS_AS(pair_of(u, v, {constant_crossing(0, 2, 0.2)}), InputError);
}

TEST_CASE("cross diffusion alone lets waves grow, as linear theory says, and limits steps") {
  // J = (−1, 0; 0, −1), D = (1, 2; 2, 1): eigenvalues −1 − 3k² and −1 + k².
  const Grid g({Axis::uniform("x", 0, 1, 32, Unknowns::cells, true)});
  SystemReaction decay([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t m = 0; m < 2; ++m)
      for (std::size_t i = 0; i < y[m].size(); ++i) out[m][i] = -y[m][i];
  });
  decay.on_place = decay.on_time = false;
  const Problem u = diffusing(g, "u", 1, 0.1), v = diffusing(g, "v", 1, 0.1);
  const auto balance = pair_of(u, v, {constant_crossing(0, 1, 2), constant_crossing(1, 0, 2)}, decay);
  const auto state = verify::uniform_state(*balance);
  REQUIRE(state);
  CHECK(state->growth(3) == doctest::Approx(8).epsilon(1e-9));
  REQUIRE(state->growing);
  CHECK(state->growing->second == doctest::Approx(2 * M_PI).epsilon(1e-6));
  // The shortest wave decays by 1 + 3·4/h².
  const auto s = verify::stability(*balance, scheme("explicit-euler"), 1e-5);
  CHECK(s.limit.step == doctest::Approx(2 / (1 + 12 * 1024.0)).epsilon(1e-6));
}

TEST_CASE("an oscillation that nothing damps limits steps by how much they let it grow") {
  const Grid g({Axis::uniform("x", 0, 1, 4, Unknowns::cells)});
  constexpr Real turn = 3;
  SystemReaction turns([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      out[0][i] = turn * y[1][i];
      out[1][i] = -turn * y[0][i];
    }
  });
  Problem u = diffusing(g, "u", 1e-9, 1.0), v = diffusing(g, "v", 1e-9, 0.0);
  u.default_boundary(insulated());
  v.default_boundary(insulated());
  const auto balance = pair_of(u, v, {}, turns);
  for (const char* name : {"explicit-euler", "rk2", "rk4"}) {
    CAPTURE(name);
    const Real limit = verify::stability(*balance, scheme(name), 1e-3).limit.step;
    REQUIRE(std::isfinite(limit));
    // A step of that length multiplies the amplitude by 1 + 5 % of its angle at most.
    State y = balance->initial_state();
    advance_system(*balance, y, name, limit, limit);
    CHECK(std::hypot(y[0], y[4]) == doctest::Approx(1 + 0.05 * turn * limit).epsilon(1e-4));
  }
  CHECK(std::isinf(verify::stability(*balance, scheme("crank-nicolson"), 1e-3).limit.step));
}
