// Matrices of several unknowns, steps by Newton's method on all of them together, and the linear theory of
// uniform states.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "support/pairs.hpp"
#include "williwaw/terms/problem_balance.hpp"
#include "williwaw/verify/uniform_state.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Problem member(const Grid& g, const std::string& name, Real diffusivity, const Function& initial) {
  Equation e = diffusion(diffusivity);
  e.unknown = name;
  Problem p(g, e);
  p.initial = initial;
  if (!g.axis(0).periodic()) p.default_boundary(insulated());
  return p;
}

// Schnakenberg (1979): a − u + u²v and b − u²v, at rest at u = a + b, v = b/(a + b)².
SystemReaction schnakenberg(Real a, Real b, bool slopes) {
  SystemReaction r([a, b](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      const Real made = y[0][i] * y[0][i] * y[1][i];
      out[0][i] = a - y[0][i] + made;
      out[1][i] = b - made;
    }
  });
  r.on_place = r.on_time = false;
  if (slopes)
    r.slopes = [](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
      for (std::size_t i = 0; i < y[0].size(); ++i) {
        const Real by_u = 2 * y[0][i] * y[1][i], by_v = y[0][i] * y[0][i];
        out[0][i] = by_u - 1;
        out[1][i] = by_v;
        out[2][i] = -by_u;
        out[3][i] = -by_v;
      }
    };
  return r;
}

}  // namespace

TEST_CASE(
    "the matrix of several unknowns is the derivative of their rates, reactions and boundaries included") {
  const Grid g({Axis::uniform("x", 0, 1, 6, Unknowns::nodes), Axis::uniform("y", 0, 1, 5, Unknowns::nodes)});
  Problem u = member(g, "u", 0.3, [](Point p) { return 1 + 0.3 * std::sin(4 * p.x + p.y); }),
          v = member(g, "v", 0.7, [](Point p) { return 0.8 + 0.2 * std::cos(3 * p.y); });
  v.boundary("west", dirichlet(0.8));
  for (const bool slopes : {true, false}) {
    CAPTURE(slopes);
    ProblemBalance balance({u, v}, schnakenberg(0.1, 0.9, slopes));
    State y = balance.initial_state();
    balance.prescribe(0, y);
    LinearSystem system;
    balance.linearise(y, 0, 0, 1, Parts::all(), system);
    CHECK(balance.prescribed().size() == static_cast<std::size_t>(g.size(1)));
    CHECK(worst_of_matrix(balance, y) < 1e-7);
    CHECK(std::holds_alternative<BlockSystem>(system));
    Real on_diagonal = 0;
    for (const Triplet& t : triplets_of(system))
      if (t.row == 7 && t.column == 7) on_diagonal += t.value;
    CHECK(diagonal_of(system)[7] == doctest::Approx(on_diagonal));
  }
}

TEST_CASE("implicit schemes take two stiff unknowns together, at their orders, in few iterations") {
  // A fast exchange, u' = −400·(u − v) and v' = 400·(u − v)/3, beside a slow decay.
  const Grid g({Axis::uniform("x", 0, 1, 8, Unknowns::cells)});
  SystemReaction exchange([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      out[0][i] = -400 * (y[0][i] - y[1][i]) - y[0][i] * y[0][i];
      out[1][i] = 400 * (y[0][i] - y[1][i]) / 3;
    }
  });
  const Problem u = member(g, "u", 0.1, 1.0), v = member(g, "v", 0.1, 1.0);
  ProblemBalance balance({u, v}, exchange);
  // u and v are one: (1 + 3)·w' = −w² but for a quarter of a step in 1600.
  const auto end = [&](const std::string& name, Real step) {
    State y = balance.initial_state();
    const Outcome o = advance_system(balance, y, name, step, 1);
    CHECK(o.ending == Outcome::Ending::reached);
    CHECK(o.newton_iterations <= 5 * o.steps);
    CHECK(o.budget.worst_step() < 1e-13);
    return y[3];
  };
  const Real exact = 1 / (1 + 0.25);
  CHECK(end("implicit-euler", 0.0025) == doctest::Approx(exact).epsilon(1e-3));
  const Real best = end("bdf2", 0.00125);
  CHECK(best == doctest::Approx(exact).epsilon(1e-3));
  CHECK(order_between(std::abs(end("implicit-euler", 0.05) - best),
                      std::abs(end("implicit-euler", 0.025) - best)) > 0.9);
  CHECK(order_between(std::abs(end("bdf2", 0.05) - best), std::abs(end("bdf2", 0.025) - best)) > 1.6);
}

TEST_CASE(
    "unknowns of very different sizes are solved to their own last digits, and step control sees each") {
  // The same exchange in units a billion times apart.
  const Grid g({Axis::uniform("x", 0, 1, 8, Unknowns::cells)});
  constexpr Real small = 1e-9;
  SystemReaction exchange([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      out[0][i] = -y[0][i] * y[1][i] / small;
      out[1][i] = small * y[0][i] * y[0][i] - y[1][i];
    }
  });
  SystemReaction alike([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      out[0][i] = -y[0][i] * y[1][i];
      out[1][i] = y[0][i] * y[0][i] - y[1][i];
    }
  });
  const Problem u = member(g, "u", 0.1, 1.0), v = member(g, "v", 0.1, 0.5),
                w = member(g, "w", 0.1, 0.5 * small);
  for (const bool adaptive : {false, true}) {
    CAPTURE(adaptive);
    const auto end = [&](ProblemBalance& balance) {
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme(adaptive ? "rk45" : "bdf2");
      plan.until = 1;
      plan.step = adaptive ? 0 : 0.05;
      if (adaptive) plan.adaptive = Tolerance{1e-6, true};
      const Outcome o = march(balance, y, plan);
      CHECK(o.ending == Outcome::Ending::reached);
      return std::pair(y, o.steps);
    };
    ProblemBalance apart({u, w}, exchange), together({u, v}, alike);
    const auto [far, steps_far] = end(apart);
    const auto [near, steps_near] = end(together);
    CHECK(far[0] == doctest::Approx(near[0]).epsilon(1e-10));
    CHECK(far[8] / small == doctest::Approx(near[8]).epsilon(1e-10));
    CHECK(steps_far == steps_near);
  }
}

TEST_CASE(
    "fluxes are linear beside reactions that are not: one factorization serves all implicit-explicit steps") {
  const Grid g({Axis::uniform("x", 0, 1, 30, Unknowns::cells)});
  ProblemBalance balance({member(g, "u", 0.3, 1.0), member(g, "v", 0.7, 0.9)}, schnakenberg(0.1, 0.9, true));
  CHECK_FALSE(balance.capabilities().linear);
  CHECK_FALSE(balance.capabilities_of(Parts::source()).linear);
  CHECK(balance.capabilities_of(Parts::fluxes()).linear);
  CHECK(balance.capabilities_of(Parts::fluxes()).steady_matrix);
  State y = balance.initial_state();
  const Outcome o = advance_system(balance, y, "implicit-explicit", 0.01, 0.2);
  CHECK(o.newton_iterations == 0);
  CHECK(o.solver == "Thomas, unknown by unknown");
}

TEST_CASE("a uniform state and its growth rates are those of the closed form, and of the run itself" *
          doctest::skip(test::instrumented)) {
  constexpr Real a = 0.1, b = 0.9, of_u = 1e-3, of_v = 4e-2;
  const Index n = 192;
  const Grid g({Axis::uniform("x", 0, 2, n, Unknowns::cells, true)});
  const Real rest_v = b / ((a + b) * (a + b));
  // Eigenvalues of J − k²D, J = (−1 + 2uv, u²; −2uv, −u²).
  const auto growth = [&](Real k) {
    const Real uv = (a + b) * rest_v, p = -1 + 2 * uv - of_u * k * k, q = -(a + b) * (a + b) - of_v * k * k;
    const Real trace = p + q, det = p * q + 2 * uv * (a + b) * (a + b);
    const Real square = 0.25 * trace * trace - det;
    return 0.5 * trace + (square > 0 ? std::sqrt(square) : 0);
  };
  for (const int waves : {2, 4, 6}) {
    CAPTURE(waves);
    const Real k = M_PI * waves;
    Problem u = member(g, "u", of_u, [k](Point p) { return a + b + 1e-6 * std::cos(k * p.x); }),
            v = member(g, "v", of_v, rest_v);
    ProblemBalance balance({u, v}, schnakenberg(a, b, waves != 4));
    const auto found = verify::uniform_state(balance);
    REQUIRE(found);
    CHECK(found->values[0] == doctest::Approx(a + b).epsilon(1e-12));
    CHECK(found->values[1] == doctest::Approx(rest_v).epsilon(1e-12));
    CHECK(found->growth(k) == doctest::Approx(growth(k)).epsilon(1e-6));
    CHECK(found->without_waves == doctest::Approx(growth(0)).epsilon(1e-6));
    CHECK(found->oscillates);
    // From when the slower of both modes has died on.
    const auto amplitude = [&](const State& y) {
      Real sum = 0;
      for (Index i = 0; i < n; ++i)
        sum += (y[static_cast<std::size_t>(i)] - a - b) * std::cos(k * g.point(i, 0, 0).x);
      return std::abs(sum);
    };
    State y = balance.initial_state();
    const Real until = 6, length = 4;
    CHECK(advance_system(balance, y, "rk4", 1e-3, until).ending == Outcome::Ending::reached);
    const Real before = amplitude(y);
    Problem later_u = u, later_v = v;
    const State half = y;
    later_u.initial = [half, &g](Point p) { return half[static_cast<std::size_t>(g.containing(p))]; };
    later_v.initial = [half, &g](Point p) { return half[static_cast<std::size_t>(n + g.containing(p))]; };
    ProblemBalance later({later_u, later_v}, schnakenberg(a, b, true));
    State z = later.initial_state();
    CHECK(advance_system(later, z, "rk4", 1e-3, length).ending == Outcome::Ending::reached);
    CHECK(std::log(amplitude(z) / before) / length == doctest::Approx(growth(k)).epsilon(0.01));
    // The largest growth of the closed form, and the borders of what grows.
    Real best = 0, at = 0;
    for (Real m = 1; m < 60; m += 1e-3)
      if (growth(m) > best) {
        best = growth(m);
        at = m;
      }
    CHECK(found->fastest == doctest::Approx(best).epsilon(1e-6));
    CHECK(found->wavelength == doctest::Approx(2 * M_PI / at).epsilon(1e-3));
    REQUIRE(found->growing);
    CHECK(std::abs(growth(2 * M_PI / found->growing->first)) < 1e-6);
    CHECK(std::abs(growth(2 * M_PI / found->growing->second)) < 1e-6);
  }
}

TEST_CASE("a uniform state is not told where there is none, or where coefficients vary") {
  const Grid g({Axis::uniform("x", 0, 1, 10, Unknowns::cells)});
  const Problem u = member(g, "u", 0.1, 1.0), v = member(g, "v", 0.1, 1.0);
  ProblemBalance plain({u, v}, turning());
  // Said to depend on place and time, as every function is that does not say otherwise.
  CHECK_FALSE(verify::uniform_state(plain));
  SystemReaction rising([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) out[0][i] = out[1][i] = 1 + y[0][i] * y[0][i];
  });
  rising.on_place = rising.on_time = false;
  ProblemBalance none({u, v}, rising);
  CHECK_FALSE(verify::uniform_state(none));
  Problem uneven = u;
  ProblemBalance varies(
      {Problem(g, diffusion([](Point p) { return 1 + p.x; })).default_boundary(insulated()), v},
      schnakenberg(0.1, 0.9, true));
  CHECK_FALSE(verify::uniform_state(varies));
  // Stable without and with waves.
  ProblemBalance calm({member(g, "u", 0.1, 1.0), member(g, "v", 0.1, 0.9)}, schnakenberg(0.1, 0.9, true));
  const auto found = verify::uniform_state(calm);
  REQUIRE(found);
  CHECK_FALSE(found->growing);
  CHECK(found->fastest == doctest::Approx(found->without_waves));
  CHECK(std::isinf(found->wavelength));
}

TEST_CASE("limits of coupled unknowns: a step within them stays, one beyond them grows") {
  const Grid g({Axis::uniform("x", 0, 1, 40, Unknowns::cells)});
  const auto balance_of = [&](Real rate) {
    // A fast exchange that decays at 2·rate, beside diffusion at 4·0.01·40².
    SystemReaction exchange([rate](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
      for (std::size_t i = 0; i < y[0].size(); ++i) {
        out[0][i] = rate * (y[1][i] - y[0][i]);
        out[1][i] = -out[0][i];
      }
    });
    Problem u = member(g, "u", 0.01, [](Point p) { return 1 + 0.1 * std::sin(40 * p.x); });
    return ProblemBalance({u, member(g, "v", 0.005, 1.0)}, exchange);
  };
  for (const Real rate : {0.0, 10.0, 200.0}) {
    CAPTURE(rate);
    ProblemBalance balance = balance_of(rate);
    const auto s = verify::stability(balance, scheme("explicit-euler"), 1e-3);
    // The matrix (−rate − d, rate; rate, −rate − d/2) at the shortest wave.
    const Real d = 4 * 0.01 * 1600, middle = rate + 0.75 * d;
    const Real largest = middle + std::sqrt(0.0625 * d * d + rate * rate);
    CHECK(s.limit.step == doctest::Approx(2 / largest).epsilon(1e-6));
    CHECK(s.limit.standing == verify::Limit::Standing::heuristic);
    for (const Real factor : {0.98, 1.05}) {
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme("explicit-euler");
      plan.step = factor * s.limit.step;
      plan.until = 3000 * plan.step;
      const Outcome o = march(balance, y, plan);
      CHECK((o.ending == Outcome::Ending::reached && o.totals.highest < 1.2) == (factor < 1));
    }
    // Fluxes are implicit there, and the exchange alone sets a limit.
    const auto apart = verify::stability(balance, scheme("implicit-explicit"), 1e-3);
    CHECK(std::isinf(apart.limit.step) == (rate == 0));
    if (rate > 0) CHECK(apart.limit.step > 0.5 / rate);
    CHECK(std::isinf(verify::stability(balance, scheme("crank-nicolson"), 1).limit.step));
  }
}

TEST_CASE("steady states of several unknowns are found by Newton's method on all of them") {
  // u'' = u − v, v'' = v − u between held ends: u + v is a line, u − v falls as sinh(√2 x).
  const Grid g({Axis::uniform("x", 0, 1, 200, Unknowns::nodes)});
  SystemReaction exchange([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      out[0][i] = y[1][i] - y[0][i];
      out[1][i] = -out[0][i];
    }
  });
  for (const bool linear : {false, true}) {
    exchange.linear = linear;
    Problem u = member(g, "u", 1.0, 0.0), v = member(g, "v", 1.0, 0.0);
    u.boundary("west", dirichlet(0.0)).boundary("east", dirichlet(3.0));
    v.boundary("west", dirichlet(0.0)).boundary("east", dirichlet(1.0));
    ProblemBalance balance({u, v}, exchange);
    CHECK(balance.capabilities().linear == linear);
    State y = balance.initial_state();
    const SteadyOutcome o = solve_steady(balance, y, 0, {});
    CHECK(o.reached);
    CHECK(o.newton_steps <= 3);
    for (const Index n : {20, 100, 170}) {
      const Real x = g.point(n, 0, 0).x, sum = 4 * x,
                 difference = 2 * std::sinh(std::sqrt(2.0) * x) / std::sinh(std::sqrt(2.0));
      CHECK(y[static_cast<std::size_t>(n)] == doctest::Approx(0.5 * (sum + difference)).epsilon(1e-5));
      CHECK(y[static_cast<std::size_t>(n + g.count())] ==
            doctest::Approx(0.5 * (sum - difference)).epsilon(1e-5));
    }
  }
}

TEST_CASE("a system of one unknown has its reaction in its matrix") {
  const Grid g({Axis::uniform("x", 0, 1, 10, Unknowns::cells)});
  SystemReaction decay([](const Points&, Real, UnknownLines y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) out[0][i] = -3 * y[0][i];
  });
  decay.linear = true;
  ProblemBalance balance({member(g, "u", 0.1, 1.0)}, decay);
  State y = balance.initial_state();
  const Outcome o = advance_system(balance, y, "implicit-euler", 0.1, 1);
  CHECK(o.budget.worst_step() < 1e-14);
  CHECK(y[4] == doctest::Approx(std::pow(1.3, -10)).epsilon(1e-12));
}

TEST_CASE("an explicit step books what reactions make, from values or lines, on even and uneven axes") {
  const SystemReaction by_lines = schnakenberg(0.1, 0.9, false);
  const SystemReaction by_values = reaction_by_values<2>([](const std::array<Real, 2>& y) {
    const Real made = y[0] * y[0] * y[1];
    return std::array<Real, 2>{0.1 - y[0] + made, 0.9 - made};
  });
  for (const bool even : {true, false}) {
    CAPTURE(even);
    // Longer than a segment of sums, and no multiple of the vectors.
    std::vector<Real> faces;
    for (int i = 0; i <= 301; ++i) faces.push_back(std::pow(i / 301.0, even ? 1 : 1.2));
    const Grid g({Axis("x", faces, Unknowns::cells), Axis::uniform("y", 0, 2, 3, Unknowns::cells)});
    const std::vector<Problem> pair{
        member(g, "u", 1e-4, [](Point p) { return 1 + 0.3 * std::sin(4 * p.x + p.y); }),
        member(g, "v", 1e-4, [](Point p) { return 0.8 + 0.2 * std::cos(30 * p.x); })};
    ProblemBalance lines(pair, by_lines), values(pair, by_values);
    const State y = lines.initial_state();
    State after_lines(y.size()), after_values(y.size());
    Ledger of_lines(lines.lines().size()), of_values(of_lines);
    const Real step = 1e-3;
    lines.advance(y, 0, step, after_lines, of_lines);
    values.advance(y, 0, step, after_values, of_values);
    CHECK(after_lines == after_values);
    Real made_u = 0, made_v = 0;
    const auto count = static_cast<std::size_t>(g.count());
    for (std::size_t n = 0; n < count; ++n) {
      const Real u = y[n], v = y[n + count], volume = g.volume_of(static_cast<Index>(n));
      made_u += step * volume * (0.1 - u + u * u * v);
      made_v += step * volume * (0.9 - u * u * v);
    }
    for (std::size_t l = 0; l < lines.lines().size(); ++l) {
      CHECK(of_lines[LineId(l)] == of_values[LineId(l)]);
      if (lines.lines()[l].name == "u reaction")
        CHECK(of_lines[LineId(l)] == doctest::Approx(made_u).epsilon(1e-12));
      if (lines.lines()[l].name == "v reaction")
        CHECK(of_lines[LineId(l)] == doctest::Approx(made_v).epsilon(1e-12));
    }
  }
}
