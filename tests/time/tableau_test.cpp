#include <doctest/doctest.h>

#include <cmath>

#include "support/smooth.hpp"
#include "williwaw/time/scheme.hpp"

using namespace williwaw;

TEST_CASE("stability functions are those of the textbooks") {
  const std::complex<Real> z(-0.7, 0.4);
  const auto r = [&](const Scheme& s) { return stability_function(s.tableau(), z); };
  CHECK(std::abs(r(scheme("explicit-euler")) - (1.0 + z)) < 1e-15);
  CHECK(std::abs(r(scheme("implicit-euler")) - 1.0 / (1.0 - z)) < 1e-15);
  CHECK(std::abs(r(scheme("crank-nicolson")) - (1.0 + z / 2.0) / (1.0 - z / 2.0)) < 1e-15);
  CHECK(std::abs(r(scheme("rk4")) - (1.0 + z + z * z / 2.0 + z * z * z / 6.0 + z * z * z * z / 24.0)) <
        1e-15);
  CHECK(std::abs(r(scheme("theta", 0.3)) - (1.0 + 0.7 * z) / (1.0 - 0.3 * z)) < 1e-15);
}

TEST_CASE("schemes whose stages need two states alone are known, with their shares, and others are not") {
  const auto one = two_register_form(scheme("explicit-euler").tableau());
  REQUIRE(one);
  CHECK(one->size() == 1);
  CHECK(one->front().weight == doctest::Approx(1));
  // y1 = y + F, y2 = 3/4 y + 1/4 y1 + 1/4 F, y3 = 1/3 y + 2/3 y2 + 2/3 F (Shu and Osher, 1988).
  const auto three = two_register_form(scheme("ssprk3").tableau());
  REQUIRE(three);
  REQUIRE(three->size() == 3);
  for (std::size_t s = 0; s < 3; ++s) {
    const Real fraction = std::array{1.0, 0.25, 2.0 / 3}[s];
    CHECK((*three)[s].fraction == doctest::Approx(fraction));
    CHECK((*three)[s].weight == doctest::Approx(fraction));
  }
  CHECK_FALSE(two_register_form(scheme("rk4").tableau()));
  CHECK_FALSE(two_register_form(scheme("rk45").tableau()));
  CHECK_FALSE(two_register_form(scheme("implicit-euler").tableau()));
}

TEST_CASE("stable stretch of the negative axis") {
  CHECK(real_stability_interval(scheme("explicit-euler").tableau()) == doctest::Approx(2).epsilon(1e-9));
  CHECK(real_stability_interval(scheme("rk4").tableau()) == doctest::Approx(2.785293563405282).epsilon(1e-9));
  CHECK(real_stability_interval(scheme("theta", 0.25).tableau()) == doctest::Approx(4).epsilon(1e-9));
  for (const char* name : {"implicit-euler", "crank-nicolson"})
    CHECK(std::isinf(real_stability_interval(scheme(name).tableau())));
}

TEST_CASE("radii of absolute monotonicity, of the function and of the tableau") {
  CHECK(monotonicity_radius_of_function(scheme("explicit-euler").tableau()) == doctest::Approx(1));
  CHECK(monotonicity_radius_of_tableau(scheme("explicit-euler").tableau()) == doctest::Approx(1));
  // The classical scheme keeps signs for constant data only.
  CHECK(monotonicity_radius_of_function(scheme("rk4").tableau()) == doctest::Approx(1));
  CHECK(monotonicity_radius_of_tableau(scheme("rk4").tableau()) == doctest::Approx(0));
  CHECK(monotonicity_radius_of_function(scheme("crank-nicolson").tableau()) == doctest::Approx(2));
  CHECK(monotonicity_radius_of_tableau(scheme("crank-nicolson").tableau()) == doctest::Approx(2));
  CHECK(monotonicity_radius_of_function(scheme("theta", 0.75).tableau()) == doctest::Approx(4));
  CHECK(std::isinf(monotonicity_radius_of_function(scheme("implicit-euler").tableau())));
  CHECK(std::isinf(monotonicity_radius_of_tableau(scheme("implicit-euler").tableau())));
}

TEST_CASE("schemes are found by name or refused with the names there are") {
  CHECK_THROWS_WITH_AS(
      scheme("midpoint"),
      doctest::Contains(
          "there is no scheme called 'midpoint'; there are explicit-euler, rk2, ssprk3, rk4, rk45, "),
      InputError);
  CHECK_THROWS_AS(scheme("theta", 1.5), InputError);
  for (const auto& kind : test::first_order_kinds()) {
    const Scheme made = kind.make(0.5);
    if (made.is_runge_kutta()) CHECK_NOTHROW(made.tableau().validate());
  }
}

TEST_CASE("tableaus that cannot be run are refused") {
  Tableau t{{{0, 1}, {0, 0}}, {0.5, 0.5}, {0, 1}};
  CHECK_THROWS_AS(t.validate(), InputError);
  t.a = {{0}};
  CHECK_THROWS_AS(t.validate(), InputError);
}

TEST_CASE("stages by line are those of the tableau, in either form") {
  const auto two = stages_by_line(scheme("ssprk3").tableau());
  REQUIRE(two);
  CHECK_FALSE(two->ends_with_sum);
  CHECK(two->stages[1].fraction == doctest::Approx(0.25));
  CHECK(two->stages[1].weight == doctest::Approx(0.25));
  CHECK(two->stages[1].at == 1);
  CHECK(two->stages[1].next_at == 0.5);
  const auto classical = stages_by_line(scheme("rk4").tableau());
  REQUIRE(classical);
  CHECK(classical->ends_with_sum);
  CHECK(classical->stages[2].weight == 1);
  CHECK(classical->stages[2].of_step == doctest::Approx(1.0 / 3));
  CHECK_FALSE(stages_by_line(scheme("rk45").tableau()));
  CHECK_FALSE(stages_by_line(scheme("implicit-euler").tableau()));
  // A third stage that looks at the first one, and a stage that stands still.
  Tableau kutta{{{0, 0, 0}, {0.5, 0, 0}, {-1, 2, 0}}, {1.0 / 6, 2.0 / 3, 1.0 / 6}, {0, 0.5, 1}};
  CHECK_FALSE(stages_by_line(kutta));
  Tableau idle{{{0, 0}, {0, 0}}, {0.5, 0.5}, {0, 0}};
  CHECK_FALSE(stages_by_line(idle));
}
