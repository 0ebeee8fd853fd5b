// Unknowns that some of them advect, in advective and in conservative form.
#include <doctest/doctest.h>

#include <cmath>

#include "support/advected.hpp"
#include "williwaw/terms/problem_balance.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

constexpr Real viscosity = 0.05;

// Cole (1951) and Hopf (1950): v = −2ν·∇φ/φ with φ_t = ν∇²φ solves v_t + v·∇v = ν∇²v.
Real potential(Real x, Real y, Real t) {
  return 2 + std::cos(2 * M_PI * x) * std::cos(2 * M_PI * y) * std::exp(-8 * M_PI * M_PI * viscosity * t);
}

Real exact(Point p, Real t, int component) {
  const Real decay = std::exp(-8 * M_PI * M_PI * viscosity * t);
  const Real slope = component == 0 ? std::sin(2 * M_PI * p.x) * std::cos(2 * M_PI * p.y)
                                    : std::cos(2 * M_PI * p.x) * std::sin(2 * M_PI * p.y);
  return 2 * viscosity * 2 * M_PI * slope * decay / potential(p.x, p.y, t);
}

enum class Stand { cells, nodes, faces };

std::vector<Problem> wind(Index n, Stand at, const std::string& reconstruction) {
  std::vector<Problem> result;
  const Unknowns along = at == Stand::nodes ? Unknowns::nodes : Unknowns::cells;
  const Grid g({Axis::uniform("x", 0, 1, n, along, true), Axis::uniform("y", 0, 1, n, along, true)});
  for (int component = 0; component < 2; ++component) {
    Equation e = diffusion(viscosity);
    e.unknown = component == 0 ? "u" : "v";
    Problem p(at == Stand::faces ? g.on_faces(component) : g, e);
    p.initial = [component](Point q) { return exact(q, 0, component); };
    p.reconstruction = reconstruction;
    result.push_back(p);
  }
  return result;
}

Real error_of(Index n, Stand at, const std::string& reconstruction, const std::string& name) {
  ProblemBalance balance(wind(n, at, reconstruction), {}, advection_by_unknowns({0, 1, -1}, true, 2));
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme(name);
  plan.until = 0.1;
  plan.step = 0.2 / static_cast<Real>(n * n) * 4;
  plan.trim = true;
  const Outcome o = march(balance, y, plan);
  CHECK(o.ending == Outcome::Ending::reached);
  CHECK(o.budget.worst_step() < 1e-13);
  Real worst = 0;
  for (std::size_t c = 0; c < 2; ++c)
    worst =
        std::max(worst, balance.field(y, 0.1, c)
                            .difference([c](const Point& q) { return exact(q, 0.1, static_cast<int>(c)); })
                            .l2);
  return worst;
}

}  // namespace

TEST_CASE("a potential start of a vector that carries itself follows Cole and Hopf at order 2" *
          doctest::skip(test::instrumented)) {
  for (const Stand at : {Stand::cells, Stand::nodes, Stand::faces}) {
    CAPTURE(static_cast<int>(at));
    const Real coarse = error_of(32, at, "van-leer", "rk2"), fine = error_of(64, at, "van-leer", "rk2");
    CHECK(order_between(coarse, fine) > 1.8);
    CHECK(fine < 2e-3);
    CHECK(order_between(error_of(32, at, "first-order", "rk2"), error_of(64, at, "first-order", "rk2")) >
          0.8);
  }
}

TEST_CASE("implicit steps of a vector that carries itself end where explicit ones do") {
  const auto after = [](Stand at, const std::string& name, Real step) {
    ProblemBalance balance(wind(16, at, "first-order"), {}, advection_by_unknowns({0, 1, -1}, true, 2));
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme(name);
    plan.until = 0.1;
    plan.step = step;
    const Outcome o = march(balance, y, plan);
    CHECK(o.ending == Outcome::Ending::reached);
    CHECK(o.budget.worst_step() < 1e-10);
    if (name == "crank-nicolson") CHECK(o.newton_iterations < 12 * o.steps);
    return y;
  };
  for (const Stand at : {Stand::cells, Stand::faces}) {
    CAPTURE(static_cast<int>(at));
    const State fine = after(at, "rk4", 2.5e-4);
    const Real coarse = largest_difference(after(at, "crank-nicolson", 0.02), fine),
               half = largest_difference(after(at, "crank-nicolson", 0.01), fine);
    CHECK(order_between(coarse, half) > 1.7);
    CHECK(largest_difference(after(at, "implicit-explicit", 0.005), fine) < 2e-3);
  }
}

TEST_CASE("an unknown that is advected by another one: what divergence makes of it stands on its own line") {
  // v = x in the middle of a line, held at both ends: w_t + x·w_x = 0 is w(x·exp(−t)); ∇·(x w) = w + x·w_x.
  const Grid g({Axis::uniform("x", 1, 2, 80, Unknowns::cells)});
  Equation of_v = diffusion(0.0);
  of_v.may_be_still = true;
  Equation of_w = of_v;
  of_v.unknown = "v";
  of_w.unknown = "w";
  Problem v(g, of_v), w(g, of_w);
  v.initial = [](Point p) { return p.x; };
  w.initial = [](Point p) { return std::sin(p.x); };
  v.boundary("west", dirichlet(1.0)).boundary("east", outflow());
  w.boundary("west", dirichlet([](Real t) { return std::sin(std::exp(-t)); })).boundary("east", outflow());
  v.reconstruction = w.reconstruction = "van-leer";
  for (const bool advective : {true, false}) {
    CAPTURE(advective);
    ProblemBalance balance({v, w}, {}, advection_by_unknowns({0, -1, -1}, advective, 2));
    std::vector<std::string> lines;
    for (const auto& line : balance.lines()) lines.push_back(line.name);
    const auto at = [&](const std::string& name) {
      return static_cast<std::size_t>(std::ranges::find(lines, name) - lines.begin());
    };
    CHECK((at("w divergence") < lines.size()) == advective);
    // One rate, looked at by its ledger: v_x = 1, so that the divergence gives back the content of w.
    State y = balance.initial_state(), f(y.size());
    Ledger ledger(lines.size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    Real content = 0, sum = 0;
    for (Index n = 0; n < 80; ++n) {
      content += y[static_cast<std::size_t>(80 + n)] / 80;
      sum += f[static_cast<std::size_t>(80 + n)];
    }
    Real booked = 0;
    for (std::size_t l = 0; l < lines.size(); ++l)
      if (balance.lines()[l].unknown == 1) booked += ledger[l];
    CHECK(sum == doctest::Approx(booked).epsilon(1e-12));
    if (advective) CHECK(ledger[at("w divergence")] == doctest::Approx(content).epsilon(2e-2));
    // −x·w_x, less w in conservative form.
    for (const Index n : {20, 40, 60}) {
      const Real x = g.point(n, 0, 0).x;
      CHECK(80 * f[static_cast<std::size_t>(80 + n)] ==
            doctest::Approx(-x * std::cos(x) - (advective ? 0 : std::sin(x))).epsilon(5e-3));
    }
    CHECK(balance.fastest(y) == doctest::Approx(80 * (2 - 0.5 / 80) * (advective ? 1 : 2)).epsilon(1e-6));
  }
}

TEST_CASE("what comes in and goes out keeps the order beside open sides" *
          doctest::skip(test::instrumented)) {
  // v_t + v·v_x = 0 and w_t + v·w_x = 0 on 1 < x < 2: v = x/(1 + t), w = sin(x/(1 + t)).
  const auto error = [](Index n, Stand at, bool backwards) {
    const Real from = backwards ? -2 : 1;
    const Grid cells(
        {Axis::uniform("x", from, from + 1, n, at == Stand::nodes ? Unknowns::nodes : Unknowns::cells)});
    const auto of_v = [](Real x, Real t) { return x / (1 + t); };
    const auto of_w = [&](Real x, Real t) { return std::sin(of_v(x, t)); };
    Equation e = diffusion(0.0);
    e.may_be_still = true;
    e.unknown = "v";
    Problem v(at == Stand::faces ? cells.on_faces(0) : cells, e);
    e.unknown = "w";
    Problem w(cells, e);
    v.initial = [&](Point p) { return of_v(p.x, 0); };
    w.initial = [&](Point p) { return of_w(p.x, 0); };
    const Real side = backwards ? -1 : 1;
    v.boundary(backwards ? "east" : "west", dirichlet([=](Real t) { return of_v(side, t); }))
        .boundary(backwards ? "west" : "east", outflow());
    w.boundary(backwards ? "east" : "west", dirichlet([=](Real t) { return of_w(side, t); }))
        .boundary(backwards ? "west" : "east", outflow());
    v.reconstruction = w.reconstruction = "van-leer";
    ProblemBalance balance({v, w}, {}, advection_by_unknowns({0, -1, -1}, true, 2));
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme("ssprk3");
    plan.until = 0.3;
    plan.step = 0.2 / static_cast<Real>(n);
    plan.trim = true;
    CHECK(march(balance, y, plan).budget.worst_step() < 1e-12);
    Real sum = 0;
    for (const std::size_t u : {0, 1})
      sum += balance.field(y, 0.3, u)
                 .difference([&](const Point& p) { return u == 0 ? of_v(p.x, 0.3) : of_w(p.x, 0.3); })
                 .l1;
    return sum;
  };
  for (const Stand at : {Stand::cells, Stand::nodes, Stand::faces})
    for (const bool backwards : {false, true}) {
      CAPTURE(static_cast<int>(at));
      CAPTURE(backwards);
      const Real coarse = error(40, at, backwards), fine = error(80, at, backwards);
      CHECK(order_between(coarse, fine) > 1.7);
      CHECK(fine < 1e-3);
    }
}

TEST_CASE("closed sides let no unknown through, whatever the velocity beside them is") {
  const Grid g({Axis::uniform("x", 0, 1, 10, Unknowns::cells), Axis::uniform("y", 0, 1, 6, Unknowns::cells)});
  std::vector<Problem> both;
  for (const char* name : {"u", "v"}) {
    Equation e = diffusion(0.01);
    e.unknown = name;
    Problem p(g, e);
    p.initial = [](Point q) { return 1 + std::sin(3 * q.x + 2 * q.y); };
    p.default_boundary(insulated());
    both.push_back(p);
  }
  ProblemBalance balance(both, {}, advection_by_unknowns({0, 1, -1}, false, 2));
  State y = balance.initial_state(), f(y.size());
  Ledger ledger(balance.lines().size());
  balance.rate(y, 0, Parts::advection(), f, ledger);
  Real sum = 0, gross = 0;
  for (const Real v : f) {
    sum += v;
    gross += std::abs(v);
  }
  CHECK(gross > 0.1);
  CHECK(std::abs(sum) < 1e-14 * gross);
  CHECK(ledger.gross() == 0);
  CHECK_THROWS_WITH_AS(advection_by_unknowns({2, -1, -1}, true, 2), "there is no unknown 2 among 2",
                       InputError);
}
