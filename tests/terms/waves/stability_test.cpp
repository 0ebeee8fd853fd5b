// Steps of waves: limits that hold and break, the border, forecasts, and what is unstable at any step.
#include <doctest/doctest.h>

#include <random>

#include "support/waves.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Problem noisy(int dimension, Unknowns unknowns, const Function& speed, const Boundary& boundary, bool uneven,
              int order = 2) {
  std::vector<Axis> axes;
  const Index n = dimension == 1 ? 40 : dimension == 2 ? 14 : 7;
  for (int a = 0; a < dimension; ++a) {
    const std::string name(1, static_cast<char>('x' + a));
    axes.push_back(uneven ? Axis(name, graded(n, 0.3), unknowns)
                          : Axis::uniform(name, 0, 1 + 0.5 * a, n, unknowns));
  }
  Problem p(Grid(std::move(axes)), wave(speed));
  p.default_boundary(boundary);
  p.space_order = order;
  p.initial = [](Point q) {
    return std::sin(91 * q.x + 57 * q.y + 33 * q.z) + std::cos(371 * q.x * (1 + q.y));
  };
  return p;
}

bool survives(const Problem& p, const std::string& name, Real step, Index steps) {
  return go(p, name, step, static_cast<Real>(steps) * step).outcome.ending == Outcome::Ending::reached;
}

}  // namespace

TEST_CASE("the sharp limit holds at 0.99 and breaks at 1.01: ranks, spacings, media, ends, schemes" *
          doctest::skip(instrumented)) {
  int combinations = 0;
  for (int dimension = 1; dimension <= highest_dimension; ++dimension)
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
      for (const bool uneven : {false, true})
        for (const bool varies : {false, true})
          for (const std::string name : {"leapfrog", "corrected-leapfrog", "rk4"}) {
            const Function speed = varies ? Function([](Point q) { return 1 + q.x; }) : Function(1.0);
            const Boundary boundary = uneven ? fixed_boundary() : free_boundary();
            const Problem p = noisy(dimension, unknowns, speed, boundary, uneven);
            const auto judged = verify::stability(p, scheme(name), 1e-3);
            CAPTURE(dimension);
            CAPTURE(name);
            CAPTURE(uneven);
            CAPTURE(varies);
            REQUIRE(judged.limit.standing == verify::Limit::Standing::sharp);
            CHECK(survives(p, name, 0.99 * judged.limit.step, 1200));
            CHECK_FALSE(survives(p, name, 1.01 * judged.limit.step, 1200));
            ++combinations;
          }
  CHECK(combinations == 24 * highest_dimension);
}

TEST_CASE("order 4 in space has its own limit, 6/7 of that of order 2 in the interior") {
  const Problem two = noisy(1, Unknowns::cells, 1.0, free_boundary(), false, 2),
                four = noisy(1, Unknowns::cells, 1.0, free_boundary(), false, 4);
  const auto a = verify::stability(two, scheme("leapfrog"), 1e-3),
             b = verify::stability(four, scheme("leapfrog"), 1e-3);
  CHECK(b.interior.step / a.interior.step == doctest::Approx(6.0 / 7).epsilon(1e-9));
  CHECK(b.limit.standing == verify::Limit::Standing::sharp);
  CHECK(survives(four, "leapfrog", 0.99 * b.limit.step, 3000));
  CHECK_FALSE(survives(four, "leapfrog", 1.01 * b.limit.step, 3000));
}

TEST_CASE("Courant number one with a mode at the border is named as the border; Newmark has no limit") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 20, Unknowns::nodes, true)}), wave(2.0));
  p.initial = [](Point q) { return std::sin(2 * M_PI * q.x); };
  const auto border = verify::stability(p, scheme("leapfrog"), 0.025);
  CHECK(border.courant_number == doctest::Approx(1));
  CHECK(border.on_the_border());
  CHECK(border.stable());
  CHECK_FALSE(verify::stability(p, scheme("leapfrog"), 0.02499).on_the_border());
  // The root of modulus one is double there: the mode grows by the same amount in each step.
  Problem shortest = p;
  shortest.initial = 0.0;
  shortest.initial_rate = [](Point q) { return std::cos(20 * M_PI * q.x); };
  const Ride once = go(shortest, "leapfrog", 0.025, 0.375), twice = go(shortest, "leapfrog", 0.025, 0.75);
  CHECK(largest_difference(twice.state, State(twice.state.size(), 0.0)) ==
        doctest::Approx(2 * largest_difference(once.state, State(once.state.size(), 0.0))).epsilon(1e-9));
  const auto newmark = verify::stability(p, scheme("newmark"), 7.0);
  CHECK(std::isinf(newmark.limit.step));
  CHECK(newmark.stable());
  CHECK(survives(p, "newmark", 7.0, 400));
}

TEST_CASE("forward Euler is unstable at any step, and damping gives it one") {
  Problem p = noisy(1, Unknowns::cells, 1.0, free_boundary(), false);
  for (const Real step : {1e-2, 1e-4, 1e-6}) {
    const auto judged = verify::stability(p, scheme("explicit-euler"), step);
    CHECK(judged.limit.step == 0);
    CHECK_FALSE(judged.stable());
  }
  CHECK(verify::stability(p, scheme("rk2"), 1e-3).limit.step == 0);
  Problem damped(p.grid(), wave(1.0, 50.0));
  damped.default_boundary(fixed_boundary());
  damped.initial = p.initial;
  const auto judged = verify::stability(damped, scheme("explicit-euler"), 1e-3);
  CHECK(judged.limit.step > 0);
  CHECK(survives(damped, "explicit-euler", 0.98 * judged.limit.step, 3000));
  CHECK_FALSE(survives(damped, "explicit-euler", 1.05 * judged.limit.step, 6000));
}

TEST_CASE("the forecast step of a blow-up is the observed one within 10 %, where data seed it") {
  for (const std::string name : {"leapfrog", "corrected-leapfrog", "explicit-euler", "rk4"})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      const Problem p = noisy(1, unknowns, 1.0, fixed_boundary(), false);
      ProblemBalance balance(p);
      const Real limit = verify::stability(balance, scheme(name), 1e-3).limit.step;
      const Real step = limit > 0 ? 1.002 * limit : 2e-3;
      const auto foreseen = verify::forecast(balance, scheme(name), step);
      REQUIRE(foreseen);
      CAPTURE(name);
      CHECK(foreseen->seeded);
      const Outcome out = go(p, name, step, 1e6 * step).outcome;
      CHECK(out.ending == Outcome::Ending::blew_up);
      CHECK(static_cast<Real>(out.steps) == doctest::Approx(foreseen->last_step).epsilon(0.1));
    }
}

TEST_CASE("ends that only leapfrog can follow are refused to other schemes") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 20, Unknowns::cells)}), wave(1.0));
  p.boundary("west", fixed_boundary()).boundary("east", absorbing());
  ProblemBalance balance(p);
  CHECK_THROWS_WITH_AS(make_stepper(balance, scheme("newmark")), doctest::Contains("leapfrog does"),
                       InputError);
  CHECK_NOTHROW(make_stepper(balance, scheme("leapfrog")));
  CHECK_THROWS_WITH_AS(make_stepper(balance, scheme("crank-nicolson")),
                       doctest::Contains("first order in time"), InputError);
  Problem heat_like(p.grid(), diffusion(1.0));
  heat_like.boundary("west", fixed_boundary()).boundary("east", absorbing());
  CHECK_THROWS_WITH_AS(ProblemBalance{heat_like}, doctest::Contains("second order in time"), InputError);
}

TEST_CASE(
    "damping that varies in place, by formula or at boundaries, is judged by all of it: the limit holds" *
    doctest::skip(instrumented)) {
  const Regions pier({{"pier", inside([](Point q) { return q.x > 0.6 && q.y > 0.9; }), false}});
  const auto problem = [&](const Function& damping, const Boundary& boundary) {
    Problem p(Grid({Axis::uniform("x", 0, 1, 14, Unknowns::nodes),
                    Axis::uniform("y", 0, 1.5, 14, Unknowns::nodes)}),
              wave(1.0, damping), pier);
    p.default_boundary(boundary);
    p.boundary("pier", free_boundary());
    p.initial = [](Point q) { return std::sin(91 * q.x + 57 * q.y) + std::cos(371 * q.x * (1 + q.y)); };
    return p;
  };
  const Function varying([](Point q) { return 20 + 60 * q.x; });
  for (const char* name : {"explicit-euler", "rk2", "ssprk3", "rk4"}) {
    CAPTURE(name);
    for (const Problem& p : {problem(varying, fixed_boundary()), problem(0.0, impedance(4.0)),
                             problem(varying, impedance(9.0))}) {
      const auto judged = verify::stability(p, scheme(name), 1e-3);
      CHECK(judged.limit.standing == verify::Limit::Standing::bound);
      // It has a limit without damping, too.
      if (std::string(name) == "rk4") CHECK(judged.limit.step > 0);
      if (judged.limit.step == 0) continue;
      CHECK(survives(p, name, 0.98 * judged.limit.step, 6000));
    }
    // The most damped mode sets the limit of schemes that the largest eigenvalue alone would allow more.
    const auto
        most = verify::stability(problem(80.0 - 60.0 / 14, fixed_boundary()), scheme(name), 1e-3).limit.step,
        least = verify::stability(problem(20.0 + 60.0 / 14, fixed_boundary()), scheme(name), 1e-3).limit.step,
        both = verify::stability(problem(varying, fixed_boundary()), scheme(name), 1e-3).limit.step;
    CHECK(both > 0);
    CHECK(both <= 1.1 * most);
    CHECK(both <= 1.1 * least);
    CHECK(both >= 0.85 * std::min(most, least));
  }
  // What only an end takes leaves waves that grow at any step.
  Problem end(Grid({Axis::uniform("x", 0, 4, 40, Unknowns::nodes)}), wave(2.0));
  end.boundary("west", fixed_boundary()).boundary("east", absorbing());
  for (const char* name : {"explicit-euler", "rk2"})
    CHECK(verify::stability(end, scheme(name), 1e-3).limit.step == 0);
  // One damping everywhere is exact, and leapfrog does not ask for it.
  CHECK(verify::stability(problem(20.0, fixed_boundary()), scheme("rk4"), 1e-3).limit.standing ==
        verify::Limit::Standing::sharp);
  CHECK(
      verify::stability(problem(varying, fixed_boundary()), scheme("leapfrog"), 1e-3).limit.step ==
      doctest::Approx(verify::stability(problem(0.0, fixed_boundary()), scheme("leapfrog"), 1e-3).limit.step)
          .epsilon(1e-9));
}

TEST_CASE("a wave at rest that is driven beyond its limit blows up within its bracket") {
  for (const bool changing : {false, true})
    for (const char* name : {"leapfrog", "corrected-leapfrog"}) {
      CAPTURE(name);
      CAPTURE(changing);
      Problem p(Grid({Axis::uniform("x", 0, 1, 30, Unknowns::cells)}), wave(1.0));
      p.initial = 0.0;
      if (changing)
        p.boundary("west", driven_displacement([](Real t) { return 0.1 * std::sin(40 * t); }))
            .boundary("east", free_boundary());
      else
        p.boundary("west", driven_force(0.1)).boundary("east", free_boundary());
      ProblemBalance balance(p);
      const Real limit = verify::stability(balance, scheme(name), 1e-3).limit.step, step = 1.01 * limit;
      const auto foreseen = verify::forecast(balance, scheme(name), step);
      REQUIRE(foreseen);
      CHECK(foreseen->growing >= 1);
      CHECK(foreseen->factor > 1);
      CHECK(foreseen->first_step <= foreseen->last_step);
      const Outcome out = go(p, name, step, 1e6 * step).outcome;
      CHECK(out.ending == Outcome::Ending::blew_up);
      CAPTURE(foreseen->first_step);
      CAPTURE(foreseen->last_step);
      CHECK(static_cast<Real>(out.steps) >= foreseen->first_step);
      CHECK(static_cast<Real>(out.steps) <= foreseen->last_step);
    }
}
