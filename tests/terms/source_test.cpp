// Sources that are a factor of place times one of time: the same runs as by one function of both, and what
// depends on place alone is evaluated once.
#include <doctest/doctest.h>

#include <atomic>

#include "support/marching.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Real bump(const Point& p) {
  return std::exp(-3 * (p.x - 0.4) * (p.x - 0.4)) * (1 + p.y);
}

// Begins at nothing and changes its sign.
Real beat(Real t) {
  return std::sin(40 * t);
}

struct Made {
  std::string name;
  Function product, whole;  ///< the same source
  Real density;             ///< integral of the factor of place over the square, by volumes of 1/16 x 1/16
};

Real integral() {
  Real result = 0;
  for (int j = 0; j < 16; ++j)
    for (int i = 0; i < 16; ++i) result += bump({(i + 0.5) / 16, (j + 0.5) / 16, 0}) / 256;
  return result;
}

Problem square(const Function& source, const Regions& regions = {}) {
  const auto axis = [](const char* name) { return Axis::uniform(name, 0, 1, 16, Unknowns::cells); };
  Problem p(Grid({axis("x"), axis("y")}), diffusion(0.01, 1.0, source), regions);
  p.default_boundary(insulated());
  return p;
}

}  // namespace

TEST_CASE("a source of a factor of place and one of time acts as one function of both") {
  const Function place([](Point p) { return bump(p); }), time([](Real t) { return beat(t); });
  const std::vector<Made> all{
      {"place times time", place * time, [](Point p, Real t) { return bump(p) * beat(t); }, integral()},
      {"three factors", time * (Function(2.0) * place) * Function([](Real t) { return 0.5 + t; }),
       [](Point p, Real t) { return 2 * bump(p) * beat(t) * (0.5 + t); }, 0},
      {"time alone", time, [](Point p, Real t) { return beat(t) + 0 * p.x; }, 1},
  };
  for (const Made& made : all)
    for (const char* name : {"explicit-euler", "rk4", "crank-nicolson", "bdf2"}) {
      CAPTURE(made.name);
      CAPTURE(name);
      CHECK((made.product.factors() != nullptr) == (made.name != "time alone"));
      CHECK(made.whole.factors() == nullptr);
      std::vector<State> ends;
      for (const Function& source : {made.product, made.whole}) {
        const Problem problem = square(source);
        ends.push_back(solve(problem, scheme(name), 40, 0.1, 1e-12));
      }
      CHECK(largest_difference(ends[0], ends[1]) < 1e-14);
      // All that came in, by rk4 as good as the integral over time.
      if (std::string(name) == "rk4" && made.density > 0) {
        Real total = 0;
        for (std::size_t n = 0; n < ends[0].size(); ++n) total += ends[0][n] / 256;
        CHECK(total == doctest::Approx(made.density * (1 - std::cos(4.0)) / 40).epsilon(1e-6));
      }
    }
}

TEST_CASE("a source in one region is a product there") {
  const Function place([](Point p) { return bump(p); }), time([](Real t) { return beat(t); });
  const Regions halves({{"warm", inside([](Point p) { return p.x > 0.55; })}});
  const auto regions = std::make_shared<const Regions>(halves);
  const Function in_one = Function::by_region(regions, {0.0, place * time});
  REQUIRE(in_one.factors());
  CHECK_FALSE(Function::by_region(regions, {1.0, place * time}).factors());
  CHECK_FALSE(Function::by_region(regions, {time, place * time}).factors());
  const Function whole =
      Function::by_region(regions, {0.0, Function([](Point p, Real t) { return bump(p) * beat(t); })});
  REQUIRE_FALSE(whole.factors());
  const State a = solve(square(in_one, halves), scheme("rk4"), 40, 0.1, 1e-12),
              b = solve(square(whole, halves), scheme("rk4"), 40, 0.1, 1e-12);
  CHECK(largest_difference(a, b) < 1e-14);
  CHECK(a[0] != 0);
}

TEST_CASE("the factor of place is evaluated once in a run") {
  std::atomic<int> asked = 0;
  const Function place([&](Point p) {
    ++asked;
    return bump(p);
  });
  const Function time([](Real t) { return beat(t); });
  int before = 0;
  for (const Index steps : {4, 40}) {
    asked = 0;
    solve(square(place * time), scheme("crank-nicolson"), steps, 0.1, 1e-12);
    if (steps == 4) before = asked;
  }
  CHECK(before >= 256);
  CHECK(asked == before);
}

TEST_CASE("a source that becomes infinite ends the run with its place and time") {
  const Function place([](Point p) { return bump(p); }),
      time([](Real t) { return t > 0.05 ? 1 / (t - t) : 1; });
  ProblemBalance balance(square(place * time));
  State state = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("explicit-euler");
  plan.until = 0.1;
  plan.step = 0.01;
  const Outcome outcome = march(balance, state, plan);
  CHECK(outcome.ending == Outcome::Ending::unsolved);
  CHECK(outcome.subject == Subject::source);
  CHECK(outcome.reason.find("the source is not a finite number at x = ") != std::string::npos);
  CHECK(outcome.steps == 6);
}
