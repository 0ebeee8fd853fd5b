// Repeating states: against a closed form, and against marching there.
#include "williwaw/solve/cycle.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <complex>

#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// A rod whose west end swings by cos(ωt) about 1, insulated at the other.
Problem swinging(Index n, Unknowns unknowns, Real omega) {
  Problem p(Grid({Axis::uniform("x", 0, 1, n, unknowns)}), diffusion(0.5));
  p.boundary("west", dirichlet([omega](Point, Real t) { return 1 + std::cos(omega * t); }))
      .boundary("east", insulated());
  return p;
}

}  // namespace

TEST_CASE("a rod that swings at one end is the hyperbolic cosine of its complex wave number, with order 2") {
  const Real omega = 7;
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(name_of(unknowns));
    std::vector<Real> errors;
    for (const Index n : {20, 40}) {
      const Problem p = swinging(n, unknowns, omega);
      ProblemBalance balance(p);
      const RepeatingState cycle(balance, 2 * M_PI / omega);
      CHECK(cycle.harmonics() == 2);
      const std::complex<Real> k = std::sqrt(std::complex<Real>(0, omega / 0.5));
      Real most = 0;
      for (const Real t : {0.0, 0.2, 0.55}) {
        const State y = cycle.at(t);
        for (Index i = 0; i < p.grid().count(); ++i) {
          const Real x = p.grid().point_of(i).x;
          const auto wave = std::cosh(k * (1 - x)) / std::cosh(k) * std::polar(1.0, omega * t);
          most = std::max(most, std::abs(y[i] - 1 - wave.real()));
        }
      }
      errors.push_back(most);
    }
    CHECK(errors[1] < 2e-3);
    CHECK(order(errors[0], errors[1]) > 1.85);
  }
}

TEST_CASE("marching comes to the repeating state, with the order of its steps") {
  const Real omega = 2 * M_PI;
  Problem p = smooth_problem(smooth_for("robin", 2), "robin", 6, Unknowns::cells);
  Problem q(p.grid(), diffusion(std::array<Function, 3>{1.0, 0.6, 1.0}, 1.4, [omega](Point x, Real t) {
              return x.y * std::sin(omega * t) + std::cos(2 * omega * t);
            }));
  q.boundary("west", robin(2.0, [omega](Real t) { return std::cos(3 * omega * t); }))
      .default_boundary(dirichlet(0.3));
  ProblemBalance balance(q);
  const RepeatingState cycle(balance, 1);
  CHECK(cycle.harmonics() == 4);
  std::vector<Real> errors;
  for (const Index steps : {40, 80}) {
    State y = cycle.at(0);
    march(balance, y, plan_of("crank-nicolson", 1.0 / static_cast<Real>(steps), 4));
    const State expected = cycle.at(4);
    Real most = 0;
    for (std::size_t n = 0; n < y.size(); ++n) most = std::max(most, std::abs(y[n] - expected[n]));
    errors.push_back(most);
  }
  CHECK(errors[0] < 0.02);
  CHECK(order(errors[0], errors[1]) > 1.9);
}

TEST_CASE("what does not repeat is refused") {
  const Problem p = swinging(10, Unknowns::cells, 7);
  ProblemBalance balance(p);
  CHECK_THROWS_WITH_AS(RepeatingState(balance, 0.8),
                       doctest::Contains("boundaries or sources do not repeat with this period"), InputError);
  CHECK_THROWS_AS(RepeatingState(balance, 0), InputError);
  Problem closed(p.grid(), diffusion(1.0, 1.0, [](Point, Real t) { return 1 + std::sin(2 * M_PI * t); }));
  closed.default_boundary(insulated());
  ProblemBalance filling(closed);
  CHECK_THROWS_WITH_AS(RepeatingState(filling, 1), doctest::Contains("the mean is not fixed"),
                       InputError);
  Equation e = diffusion(1.0);
  e.reaction = Reaction::of([](Real u) { return -u * u; });
  Problem nonlinear(p.grid(), e);
  nonlinear.default_boundary(insulated());
  ProblemBalance reacting(nonlinear);
  CHECK_THROWS_AS(RepeatingState(reacting, 1), InputError);
}
