// Systems of conservation laws: speeds from Jacobians, waves as a pair of first order, a dam that breaks.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "williwaw/terms/problem_balance.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// A flux along x alone, with its Jacobian.
class Along final : public SystemFlux {
 public:
  using Entries = std::function<void(const std::vector<Real>&, std::vector<Real>&)>;
  Along(std::size_t count, Entries flux, Entries jacobian)
      : count_(count), flux_(std::move(flux)), jacobian_(std::move(jacobian)) {}
  std::size_t components() const override { return count_; }
  void flux(int direction, UnknownLines u, std::span<std::span<Real>> out) const override {
    each(flux_, direction, u, out, count_);
  }
  void jacobian(int direction, UnknownLines u, std::span<std::span<Real>> out) const override {
    each(jacobian_, direction, u, out, count_ * count_);
  }

 private:
  static void each(const Entries& entries, int direction, UnknownLines u, std::span<std::span<Real>> out,
                   std::size_t numbers) {
    std::vector<Real> values(u.size()), made(numbers);
    for (std::size_t i = 0; i < u.front().size(); ++i) {
      for (std::size_t m = 0; m < u.size(); ++m) values[m] = u[m][i];
      entries(values, made);
      for (std::size_t m = 0; m < numbers; ++m) out[m][i] = direction == 0 ? made[m] : 0;
    }
  }
  std::size_t count_;
  Entries flux_, jacobian_;
};

std::shared_ptr<const SystemFlux> matrix_flux(std::size_t count, const std::vector<Real>& a) {
  return std::make_shared<Along>(
      count,
      [count, a](const std::vector<Real>& u, std::vector<Real>& f) {
        for (std::size_t m = 0; m < count; ++m) {
          f[m] = 0;
          for (std::size_t k = 0; k < count; ++k) f[m] += a[m * count + k] * u[k];
        }
      },
      [a](const std::vector<Real>&, std::vector<Real>& j) { j = a; });
}

Real speed_of(std::size_t count, const std::vector<Real>& a) {
  const std::vector<Real> zero(1, 0.0);
  const std::vector<std::span<const Real>> u(count, zero);
  Real speed = -1;
  matrix_flux(count, a)->speed(0, u, {&speed, 1});
  return speed;
}

Problem member(const Grid& g, const std::string& name, const Function& initial) {
  Equation e = diffusion(0.0);
  e.may_be_still = true;
  e.unknown = name;
  Problem p(g, e);
  p.initial = initial;
  p.reconstruction = "van-leer";
  if (!g.axis(0).periodic()) p.default_boundary(outflow());
  return p;
}

constexpr Real gravity = 9.81;

// Shallow water: depth h and discharge q, f = (q, q²/h + g·h²/2).
std::shared_ptr<const SystemFlux> shallow_water() {
  return std::make_shared<Along>(
      2,
      [](const std::vector<Real>& u, std::vector<Real>& f) {
        f = {u[1], u[1] * u[1] / u[0] + 0.5 * gravity * u[0] * u[0]};
      },
      [](const std::vector<Real>& u, std::vector<Real>& j) {
        const Real v = u[1] / u[0];
        j = {0, 1, gravity * u[0] - v * v, 2 * v};
      });
}

// Stoker (1957): behind the shock that runs into water of depth `low` the speed is that of the expansion from
// `high`.
struct DamBreak {
  Real middle, speed, shock;
  DamBreak(Real high, Real low) {
    Real below = low, above = high;
    for (int i = 0; i < 200; ++i) {
      middle = 0.5 * (below + above);
      const Real expanding = 2 * (std::sqrt(gravity * high) - std::sqrt(gravity * middle));
      const Real shocked = (middle - low) * std::sqrt(0.5 * gravity * (middle + low) / (middle * low));
      (shocked > expanding ? above : below) = middle;
      speed = expanding;
    }
    shock = middle * speed / (middle - low);
  }
};

}  // namespace

TEST_CASE("speeds are the largest eigenvalues of the Jacobian; where they are not real there is none") {
  CHECK(speed_of(1, {-3}) == 3);
  CHECK(speed_of(2, {0, 1, 4, 0}) == doctest::Approx(2));
  CHECK(speed_of(2, {1, 2, 3, -4}) == doctest::Approx(5));
  CHECK(speed_of(2, {-5, 0, 0, 1}) == doctest::Approx(5));
  CHECK(speed_of(2, {2, 0, 0, 2}) == doctest::Approx(2));
  CHECK(std::isinf(speed_of(2, {0, 1, -1, 0})));
  // Built from eigenvalues −7, 2 and 5 and from a pair of complex ones.
  CHECK(speed_of(3, {2, 1, 3, 0, 5, 4, 0, 0, -7}) == doctest::Approx(7));
  CHECK(speed_of(3, {0, 1, 0, 9, 0, 0, 2, 1, 1}) == doctest::Approx(3));
  CHECK(speed_of(3, {4, 0, 0, 0, 4, 0, 0, 0, 4}) == doctest::Approx(4));
  CHECK(std::isinf(speed_of(3, {0, -1, 0, 1, 0, 0, 0, 0, 2})));
  // Of four the norm bounds them: rows sum to 6 at most, columns to 5.
  CHECK(speed_of(4, {1, 2, 0, 3, 0, 1, 0, 0, 0, 0, 2, 0, 0, 2, 0, 1}) == doctest::Approx(5));
}

TEST_CASE("an acoustic pair moves as the wave equation of second order does, and its order is two" *
          doctest::skip(test::instrumented)) {
  // p_t + c²·w_x = 0, w_t + p_x = 0: p = cos(2πx)·cos(2πct) on a closed ring.
  constexpr Real c = 3;
  const auto error = [](Index n, const std::string& reconstruction, bool characteristic = false) {
    const Grid g({Axis::uniform("x", 0, 1, n, Unknowns::cells, true)});
    std::vector<Problem> pair{member(g, "p", [](Point q) { return std::cos(2 * M_PI * q.x); }),
                              member(g, "w", 0.0)};
    for (Problem& p : pair) p.reconstruction = reconstruction;
    ProblemBalance balance(System{pair, {}, matrix_flux(2, {0, c * c, 1, 0}), {}, characteristic});
    State y = balance.initial_state();
    CHECK(balance.fastest(y) == doctest::Approx(c * static_cast<Real>(n)));
    Plan plan;
    plan.scheme = scheme("ssprk3");
    plan.until = 1.25 / c;
    plan.step = 0.4 / (c * static_cast<Real>(n));
    plan.trim = true;
    const Outcome o = march(balance, y, plan);
    CHECK(o.budget.worst_step() < 1e-13);
    // The wave equation on the same grid, by leapfrog steps at the border, which are exact.
    Problem wave_problem(g, wave(c));
    wave_problem.initial = [](Point q) { return std::cos(2 * M_PI * q.x); };
    ProblemBalance second(wave_problem);
    State z = second.initial_state();
    Plan leap;
    leap.scheme = scheme("leapfrog");
    leap.until = plan.until;
    leap.step = 1 / (c * static_cast<Real>(n));
    march(second, z, leap);
    Real sum = 0;
    for (Index i = 0; i < n; ++i)
      sum += std::abs(y[static_cast<std::size_t>(i)] - z[static_cast<std::size_t>(i)]);
    return sum / static_cast<Real>(n);
  };
  CHECK(order_between(error(100, "van-leer"), error(200, "van-leer")) > 1.7);
  CHECK(error(200, "van-leer") < 3e-3);
  CHECK(order_between(error(100, "van-leer", true), error(200, "van-leer", true)) > 1.7);
  CHECK(order_between(error(200, "first-order"), error(400, "first-order")) > 0.8);
}

namespace {

// Of p = cos(2πx)·cos(2πct), w = sin(2πx)·sin(2πct)/c over a part of a period on these faces.
Real error_of_sound(const std::vector<Real>& faces, const std::string& reconstruction, Real step) {
  constexpr Real c = 3;
  const Grid g({Axis("x", faces, Unknowns::cells, true)});
  std::vector<Problem> pair{member(g, "p", [](Point q) { return std::cos(2 * M_PI * q.x); }),
                            member(g, "w", 0.0)};
  for (Problem& p : pair) p.reconstruction = reconstruction;
  ProblemBalance balance(pair, {}, matrix_flux(2, {0, c * c, 1, 0}));
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("rk4");
  plan.until = 0.4 / c;
  plan.step = step;
  plan.trim = true;
  CHECK(march(balance, y, plan).budget.worst_step() < 1e-13);
  const State exact =
      balance.values_of([](Point q) { return std::cos(2 * M_PI * q.x) * std::cos(2 * M_PI * 0.4); }, 0, 0);
  Real sum = 0;
  for (std::size_t i = 0; i < exact.size(); ++i)
    sum += g.volume_of(static_cast<Index>(i)) * std::abs(y[i] - exact[i]);
  return sum;
}

}  // namespace

TEST_CASE("systems keep the order of every reconstruction, and of limited ones on uneven axes" *
          doctest::skip(test::instrumented)) {
  const auto faces = [](Index n, Real stretched) {
    std::vector<Real> result;
    for (Index i = 0; i <= n; ++i) {
      const Real s = static_cast<Real>(i) / static_cast<Real>(n);
      result.push_back(s + stretched * std::sin(2 * M_PI * s) / (2 * M_PI));
    }
    return result;
  };
  const auto order = [&](const std::string& reconstruction, Index n, Real stretched) {
    const auto error = [&](Index cells) {
      return error_of_sound(faces(cells, stretched), reconstruction, 0.1 / static_cast<Real>(cells));
    };
    return order_between(error(n), error(2 * n));
  };
  CHECK(order("third-order", 40, 0) > 2.8);
  CHECK(order("weno5", 40, 0) > 4.5);
  CHECK(order("van-leer", 80, 0.5) > 1.7);
  CHECK(order("monotonized-central", 80, 0.5) > 1.7);
  CHECK(order("first-order", 80, 0.5) > 0.8);
}

TEST_CASE("a dam breaks: depth, speed and the place of the shock are those of the exact solution" *
          doctest::skip(test::instrumented)) {
  const DamBreak exact(2, 0.5);
  const Index n = 800;
  const Grid g({Axis::uniform("x", -50, 50, n, Unknowns::cells)});
  ProblemBalance balance({member(g, "h", [](Point p) { return p.x < 0 ? 2.0 : 0.5; }), member(g, "q", 0.0)},
                         {}, shallow_water());
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("ssprk3");
  plan.until = 6;
  plan.step = 0.4 * 0.125 / 6;
  plan.trim = true;
  const Outcome o = march(balance, y, plan);
  CHECK(o.ending == Outcome::Ending::reached);
  CHECK(o.budget.worst_step() < 1e-13);
  const auto depth = [&](Real x) { return y[static_cast<std::size_t>(g.containing({x, 0, 0}))]; };
  CHECK(depth(0.5 * exact.shock * plan.until) == doctest::Approx(exact.middle).epsilon(2e-3));
  const auto discharge =
      y[static_cast<std::size_t>(n + g.containing({0.7 * exact.shock * plan.until, 0, 0}))];
  CHECK(discharge == doctest::Approx(exact.middle * exact.speed).epsilon(5e-3));
  // In the expansion √(g·h) = (2·√(g·2) − x/t)/3.
  const Real root = (2 * std::sqrt(gravity * 2) + 10 / plan.until) / 3;
  CHECK(depth(-10) == doctest::Approx(root * root / gravity).epsilon(5e-3));
  // Where the depth falls through the middle of the jump.
  const Real jump = 0.5 * (exact.middle + 0.5);
  Real shock = 0;
  for (Index i = 0; i + 1 < n; ++i) {
    const Real here = y[static_cast<std::size_t>(i)], next = y[static_cast<std::size_t>(i + 1)];
    if (here > jump && next <= jump) shock = g.point(i, 0, 0).x + 0.125 * (here - jump) / (here - next);
  }
  CHECK(shock / plan.until == doctest::Approx(exact.shock).epsilon(5e-3));
}
