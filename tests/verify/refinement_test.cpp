// Refinement studies of resolutions, and exact solutions that have names.
#include "williwaw/verify/refinement.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/verify/exact_solutions.hpp"

using namespace williwaw;
using namespace williwaw::verify;

TEST_CASE("values that approach by a power show it, and where they go") {
  for (const Real order : {1.0, 2.0, 4.0}) {
    std::vector<Real> values, errors;
    for (int l = 0; l < 5; ++l) {
      errors.push_back(0.3 * std::pow(2, -order * l));
      values.push_back(7 - errors.back());
    }
    const OrderStudy c = study_values(values, 2, order);
    CHECK(c.trend == Trend::asymptotic);
    CHECK(c.orders.back() == doctest::Approx(order));
    CHECK(c.extrapolated == doctest::Approx(7).epsilon(1e-9));
    CHECK(c.uncertainty >= std::abs(7 - values.back()));
    CHECK(c.uncertainty < 1.5 * std::abs(7 - values.back()));
    CHECK(study_errors(errors, 2, order).trend == Trend::asymptotic);
    // Against another theory the same order is steady, but not the one that is due.
    CHECK(study_errors(errors, 2, order + 1).trend == Trend::off);
  }
}

TEST_CASE("what does not settle is called erratic, and its uncertainty is wide") {
  const OrderStudy swinging = study_values({1.0, 1.2, 1.05, 1.15}, 2, 2);
  CHECK(swinging.trend == Trend::erratic);
  CHECK(swinging.uncertainty >= 0.3);
  CHECK(study_errors({2.5e-2, 1.2e-2, 6e-5, 1.5e-5}, 2, 2).trend == Trend::erratic);
  CHECK(study_values({3, 3, 3}, 2, 2, 1e-12).trend == Trend::exact);
  CHECK_THROWS_AS(study_values({1, 2}, 2, 2), InputError);
  CHECK_THROWS_AS(study_errors({1}, 2, 2), InputError);
  CHECK_THROWS_AS(uncertainty_of_two(1, 1, 2), InputError);
  CHECK(uncertainty_of_two(0.3, 2, 2, 1) == doctest::Approx(0.1));
}

TEST_CASE("a spread tells even differences, signs that change and logarithms apart") {
  const std::vector<Real> ratios{1, 2, 4};
  const auto values = [&](auto f) { return std::vector<Real>{f(1.0), f(2.0), f(4.0)}; };
  const LevelSpread even = spread_of(values([](Real r) { return 7 + 0.01 * r * r; }), ratios, 2);
  CHECK(even.even);
  CHECK(even.order == doctest::Approx(2));
  CHECK(even.correction == doctest::Approx(-0.01));
  CHECK(even.uncertainty == doctest::Approx(0.015));
  // Of first order, though second is due: carried on as it is seen.
  const LevelSpread slow = spread_of(values([](Real r) { return 7 + 0.01 * r; }), ratios, 2);
  CHECK_FALSE(slow.even);
  CHECK(slow.order == doctest::Approx(1));
  CHECK(slow.uncertainty == doctest::Approx(0.02));
  // Faster than due may be chance: what the coarser difference leads to counts.
  const LevelSpread fast = spread_of(std::vector<Real>{7, 7.0001, 7.4}, ratios, 2);
  CHECK_FALSE(fast.even);
  CHECK(fast.uncertainty == doctest::Approx(1.5 * 0.3999 / 12));
  const LevelSpread turning = spread_of(std::vector<Real>{7, 7.1, 7.05}, ratios, 2);
  CHECK_FALSE(turning.even);
  CHECK(turning.uncertainty == doctest::Approx(0.15));
  const auto logarithm = values([](Real r) { return 7 - 3 * std::log(r); });
  CHECK_FALSE(spread_of(logarithm, ratios, 2).shrinks);
  CHECK(grows_like_logarithm(logarithm, ratios));
  CHECK_FALSE(grows_like_logarithm(values([](Real r) { return 7 + std::sqrt(r); }), ratios));
  CHECK_FALSE(grows_like_logarithm(std::vector<Real>{7, 7.1, 7.05}, ratios));
  // Three levels whose ratios are not equal.
  const std::vector<Real> uneven{1, 1.7, 3.1};
  std::vector<Real> cubic;
  for (const Real r : uneven) cubic.push_back(1 - std::pow(r, 1.5));
  CHECK(spread_of(cubic, uneven, 2).order == doctest::Approx(1.5));
  CHECK(spread_of(std::vector<Real>{5, 5, 5}, ratios, 2, 1e-12).uncertainty == 0);
  CHECK(spread_of(std::vector<Real>{5, 5.3}, std::vector<Real>{1, 2}, 2).uncertainty == doctest::Approx(0.2));
  CHECK_THROWS_AS(spread_of({}, {}, 2), InputError);
  CHECK_THROWS_AS(spread_of(std::vector<Real>{1, 2}, ratios, 2), InputError);
  CHECK_THROWS_AS(spread_about_fit(std::vector<Real>{1, 2, 3}, ratios, 2), InputError);
}

TEST_CASE("a fit through scattered values holds the distance to the limit and the scatter") {
  const std::vector<Real> ratios{1, 1.2, 1.4, 1.7, 2};
  std::vector<Real> values;
  for (const Real r : ratios) values.push_back(3 + 0.02 * r);
  const LevelSpread straight = spread_about_fit(values, ratios, 2);
  CHECK(straight.order == 1);
  CHECK(straight.uncertainty == doctest::Approx(0.023));
  const Real noise[] = {0.01, -0.012, 0.009, -0.008, 0.011};
  for (std::size_t n = 0; n < ratios.size(); ++n) values[n] = 3 + 0.001 * ratios[n] * ratios[n] + noise[n];
  const LevelSpread scattered = spread_about_fit(values, ratios, 2);
  CHECK(scattered.uncertainty > 0.02);
  CHECK(scattered.uncertainty < 0.08);
}

TEST_CASE("roots of cooling bodies are those of the tables") {
  using Shape = CoolingBody::Shape;
  // First roots at Biot number 1: 0.8603, 1.2558, 1.5708.
  CHECK(CoolingBody(Shape::slab, 1).roots()[0] == doctest::Approx(0.860333589).epsilon(1e-8));
  CHECK(CoolingBody(Shape::cylinder, 1).roots()[0] == doctest::Approx(1.255783711).epsilon(1e-8));
  CHECK(CoolingBody(Shape::sphere, 1).roots()[0] == doctest::Approx(M_PI / 2).epsilon(1e-10));
  CHECK(CoolingBody(Shape::slab, INFINITY).roots()[1] == doctest::Approx(1.5 * M_PI).epsilon(1e-10));
  CHECK(CoolingBody(Shape::cylinder, INFINITY).roots()[0] == doctest::Approx(2.404825558).epsilon(1e-8));
  CHECK(CoolingBody(Shape::sphere, INFINITY).roots()[2] == doctest::Approx(3 * M_PI).epsilon(1e-10));
  for (const Shape shape : {Shape::slab, Shape::cylinder, Shape::sphere}) {
    const CoolingBody body(shape, 2.5);
    // Nearly 1 at the start in the middle, and the surface's condition holds: −dθ/ds = Bi·θ.
    CHECK(body(0.2, 1e-3) == doctest::Approx(1).epsilon(1e-6));
    const Real h = 1e-5, slope = (body(1, 0.2) - body(1 - h, 0.2)) / h;
    CHECK(-slope == doctest::Approx(2.5 * body(1, 0.2)).epsilon(1e-3));
  }
  CHECK_THROWS_AS(CoolingBody(Shape::slab, 0), InputError);
}

TEST_CASE("exact solutions begin as they should, at their edges too") {
  const Real prescribed = std::numeric_limits<Real>::infinity();
  using Shape = CoolingBody::Shape;
  for (const Shape shape : {Shape::slab, Shape::cylinder, Shape::sphere}) {
    const CoolingBody body(shape, 2.0);
    for (const Real s : {0.0, 0.4, 1.0}) {
      CHECK(body(s, 0) == 1);
      CHECK(body(s, -1) == 1);
      // Cools from the surface inwards, everywhere in the end.
      CHECK(body(s, 0.3) < body(s, 0.1));
      CHECK(body(s, 0.1) > body(1, 0.1) - 1e-12);
    }
    CHECK(body(0, 30) < 1e-10);
  }
  CHECK(half_space(0, 0, prescribed) == 0);
  CHECK(half_space(0, 0, 5) == 1);
  CHECK(half_space(0.2, 0, prescribed) == 1);
  CHECK(started_flow(0, 0, 2, 3, 1, 0.5) == 2);
  CHECK(started_flow(1, 0, 2, 3, 1, 0.5) == 3);
  CHECK(started_flow(0.4, 0, 2, 3, 1, 0.5) == 0.5);
  CHECK(started_flow(0.4, 1e-4, 2, 3, 0, 0.5) == doctest::Approx(0.5).epsilon(1e-6));
}

TEST_CASE("levels that do not fit each other are refused") {
  const std::vector<Real> three{1, 2, 3}, four{1, 2, 3, 4}, other{1, 2, 4};
  CHECK_THROWS_AS(spread_about_fit(three, other, 2, 0), InputError);
  CHECK_THROWS_AS(spread_about_fit(four, other, 2, 0), InputError);
  CHECK_THROWS_AS(uncertainty_of_two(0.1, 1, 2, 1.25), InputError);
  CHECK_THROWS_AS(uncertainty_of_two(0.1, 2, 0, 1.25), InputError);
  CHECK(uncertainty_of_two(-0.3, 2, 2, 1.25) == doctest::Approx(1.25 * 0.3 / 3));
}

TEST_CASE("half-space and started flow have their limits") {
  CHECK(half_space(0, 0.3, INFINITY) == 0);
  CHECK(half_space(0.6, 0.3, INFINITY) == doctest::Approx(std::erf(1)));
  // With exchange the surface cools as exp(h²)·erfc(h); both ways of writing it meet where they change over.
  CHECK(half_space(0, 1, 1) == doctest::Approx(std::exp(1) * std::erfc(1)));
  CHECK(half_space(0, 1, 19.999) == doctest::Approx(half_space(0, 1, 20.001)).epsilon(3e-4));
  CHECK(started_flow(0.3, 0, 0, 1, 0, 0.2) == 0.2);
  CHECK(started_flow(1, 0, 0, 1, 0, 0.2) == 1);
  CHECK(started_flow(0, 0, 0.1, 1, 0, 0.2) == 0.1);
  CHECK(started_flow(0.25, 5, 0, 1, 0) == doctest::Approx(0.25));
  CHECK(started_flow(0.5, 5, 0, 0, 8) == doctest::Approx(1));
  // Just after the start the moved boundary is felt as by a half-space.
  CHECK(started_flow(0.95, 1e-3, 0, 1, 0) ==
        doctest::Approx(1 - half_space(0.05, std::sqrt(1e-3), INFINITY)).epsilon(1e-6));
}
