// Coefficients that depend on the unknown, against solutions in closed form.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "support/smooth.hpp"
#include "williwaw/problem/content.hpp"
#include "williwaw/solve/steady.hpp"
#include "williwaw/terms/discretization.hpp"

using namespace williwaw;
using williwaw::test::plan_of;

namespace {

Function power_of_u(Real factor, int exponent) {
  return Function::of_unknown([=](Real u) { return factor * std::pow(u, exponent); },
                              [=](Real u) { return factor * exponent * std::pow(u, exponent - 1); });
}

// u_t = (u^m)_xx from a point (Barenblatt, 1952), of amount such that the front stands at `front` at t = 1.
struct Barenblatt {
  int m = 2;
  Real front = 1;
  Real operator()(Real x, Real t) const {
    const Real a = 1.0 / (m + 1), k = (m - 1) * a / (2 * m);
    const Real xi = x * std::pow(t, -a), inside = k * (front * front - xi * xi);
    return inside > 0 ? std::pow(t, -a) * std::pow(inside, 1.0 / (m - 1)) : 0;
  }
  Real front_at(Real t) const { return front * std::pow(t, 1.0 / (m + 1)); }
};

Problem spreading(const Barenblatt& exact, Index cells, const std::string& mean = {}) {
  Problem p(Grid({Axis::uniform("x", -2, 2, cells, Unknowns::cells)}),
            diffusion(power_of_u(exact.m, exact.m - 1)));
  p.initial = [exact](Point at) { return exact(at.x, 1); };
  p.face_mean = mean;
  p.default_boundary(insulated());
  return p;
}

struct Spread {
  Real error, front, budget;
};

Spread spread(const Barenblatt& exact, Index cells, const std::string& scheme, const std::string& mean = {}) {
  const Real until = 3, h = 4.0 / static_cast<Real>(cells);
  auto balance = make_balance(spreading(exact, cells, mean));
  State y = balance->initial_state();
  const bool is_explicit = scheme == "explicit-euler";
  Plan plan = plan_of(scheme.c_str(), is_explicit ? 0.1 * h * h : 0.2 * h, 1);
  plan.start = 1;
  plan.until = until;
  plan.trim = true;
  const Outcome out = march(*balance, y, plan);
  CAPTURE(out.reason);
  REQUIRE(out.ending == Outcome::Ending::reached);
  Spread result{0, 0, std::abs(out.budget.relative_residual())};
  for (Index i = 0; i < cells; ++i) {
    const Real x = balance->grid().point_of(i).x;
    result.error += h * std::abs(y[static_cast<std::size_t>(i)] - exact(x, until));
    if (y[static_cast<std::size_t>(i)] > 0.01 * exact(0, until)) result.front = x + 0.5 * h;
  }
  return result;
}

}  // namespace

TEST_CASE("a power of the unknown as diffusivity spreads as Barenblatt's solution does" *
          doctest::skip(test::instrumented)) {
  for (const int m : {2, 3}) {
    const Barenblatt exact{m, 0.8};
    for (const char* scheme : {"explicit-euler", "crank-nicolson", "implicit-euler", "bdf2"}) {
      CAPTURE(scheme);
      CAPTURE(m);
      const Index cells = scheme == std::string("explicit-euler") ? 100 : 200;
      const Spread coarse = spread(exact, cells / 2, scheme), fine = spread(exact, cells, scheme);
      CHECK(std::log2(coarse.error / fine.error) > 0.9);
      CHECK(std::abs(fine.front - exact.front_at(3)) < 4.0 / static_cast<Real>(cells));
      CHECK(fine.budget < 1e-12);
    }
  }
}

TEST_CASE("every mean between two unknowns converges, the harmonic one late where nothing has spread yet" *
          doctest::skip(test::instrumented)) {
  const Barenblatt exact{2, 0.8};
  const Real best = spread(exact, 200, "implicit-euler", "integral").error;
  for (const char* mean : {"arithmetic", "upstream"}) {
    CAPTURE(mean);
    CHECK(spread(exact, 200, "implicit-euler", mean).error < 1e-3);
  }
  // What hardly conducts on its own side lets no front pass.
  const Real coarse = spread(exact, 100, "implicit-euler", "harmonic").error;
  CHECK(spread(exact, 200, "implicit-euler", "harmonic").error < coarse);
  CHECK(coarse > 4 * best);
}

TEST_CASE("a steady state of one material is exact at any resolution by the integral of its conductivity") {
  // k = exp(3u) between u = 0 and 1: exp(3u) is linear in x (Kirchhoff, 1894).
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const Index n : {5, 40}) {
      CAPTURE(n);
      const Function k = Function::of_unknown([](Real u) { return std::exp(3 * u); },
                                              [](Real u) { return 3 * std::exp(3 * u); });
      Problem p(Grid({Axis::uniform("x", 0, 2, n, unknowns)}), diffusion(k));
      p.boundary("west", dirichlet(0.0)).boundary("east", dirichlet(1.0));
      p.initial = 0.5;
      auto balance = make_balance(p);
      State y = balance->initial_state();
      const SteadyOutcome out = solve_steady(*balance, y);
      CHECK(out.reached);
      for (Index i = 0; i < balance->grid().count(); ++i) {
        const Real x = balance->grid().point_of(i).x;
        CHECK(y[static_cast<std::size_t>(i)] ==
              doctest::Approx(std::log(1 + (std::exp(3.0) - 1) * x / 2) / 3).epsilon(1e-11));
      }
    }
}

TEST_CASE("what flows inside a closed domain is found anew once its mean is put right") {
  // (1 + u) u' = −∫ source: u + u²/2 − S·cos(πx)/π² is a constant, which the mean decides; a shift of u alone
  // would not solve it.
  const Real strength = 3;
  for (const Index n : {64, 128}) {
    Problem p(Grid({Axis::uniform("x", 0, 1, n, Unknowns::cells)}),
              diffusion(Function::of_unknown([](Real u) { return 1 + u; }, [](Real) { return 1.0; }), 1.0,
                        [=](Point at) { return strength * std::cos(M_PI * at.x); }));
    p.default_boundary(insulated());
    p.initial = [](Point at) { return 0.5 + 0.4 * std::cos(3 * M_PI * at.x); };
    auto balance = make_balance(p);
    State y = balance->initial_state();
    const SteadyOutcome out = solve_steady(*balance, y);
    CHECK(out.reached);
    Real mean = 0, low = INFINITY, high = -INFINITY;
    for (Index i = 0; i < n; ++i) {
      const Real u = y[static_cast<std::size_t>(i)], x = balance->grid().point_of(i).x;
      mean += u / static_cast<Real>(n);
      const Real constant = u + u * u / 2 - strength * std::cos(M_PI * x) / (M_PI * M_PI);
      low = std::min(low, constant);
      high = std::max(high, constant);
    }
    CHECK(mean == doctest::Approx(0.5).epsilon(1e-9));
    CHECK(high - low < 0.6 / static_cast<Real>(n * n));
    CHECK(high - low > 1e-9);  // a source that was lost would leave nothing
  }
}
