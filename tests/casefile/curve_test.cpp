#include "williwaw/casefile/curve.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/casefile/formula.hpp"

using namespace williwaw;
using namespace williwaw::casefile;

TEST_CASE("a curve goes through its points, keeps between them and knows its derivatives") {
  const std::vector<Real> places{-10, -3, -1, -0.2, 0, 2}, values{0.05, 0.06, 0.2, 0.39, 0.4, 0.4};
  const Curve curve("c", places, values, {}, {});
  for (std::size_t i = 0; i < places.size(); ++i) CHECK(curve.at(places[i]) == doctest::Approx(values[i]));
  Real last = 0;
  for (Real u = -12; u < 3; u += 0.01) {
    const Real v = curve.at(u);
    CHECK(v >= last - 1e-15);  // no new extrema
    last = v;
    const Real h = 1e-5;
    CHECK(curve.at(u, 1) ==
          doctest::Approx((curve.at(u + h) - curve.at(u - h)) / (2 * h)).epsilon(1e-4).scale(0.1));
    CHECK(curve.at(u, 1) >= 0);
  }
  CHECK(curve.at(-50) == 0.05);
  CHECK(curve.at(50) == 0.4);
  CHECK(curve.at(-50, 1) == 0);
}

TEST_CASE("a curve of a straight line is that line") {
  const Curve line("c", {0, 1, 3, 4}, {1, 3, 7, 9}, {}, {});
  for (const Real u : {0.1, 0.9, 1.7, 3.3}) {
    CHECK(line.at(u) == doctest::Approx(1 + 2 * u));
    CHECK(line.at(u, 1) == doctest::Approx(2));
    CHECK(line.at(u, 2) == doctest::Approx(0).scale(1));
  }
}

TEST_CASE("formulas call curves, and are differentiated through them") {
  const Curves curves{
      {"theta", std::make_shared<const Curve>("theta", std::vector<Real>{0, 1, 2, 4},
                                              std::vector<Real>{0, 1, 4, 5}, Measure{}, Measure{})}};
  const Expression e = parse_expression("3*theta(u^2) + 1", {}, {"u"}, curves);
  const Function f = function_of(e);
  const Curve& theta = *curves.at("theta");
  CHECK(f.at({}, 0, 1.2) == doctest::Approx(3 * theta.at(1.44) + 1));
  Points one(1);
  const Real u = 1.2;
  Real slope = 0;
  f.slope(one, 0, {&u, 1}, {&slope, 1});
  CHECK(slope == doctest::Approx(3 * theta.at(1.44, 1) * 2.4));
  CHECK_THROWS_AS(parse_expression("theta(1, 2)", {}, {}, curves), InputError);
  CHECK_THROWS_AS(parse_expression("theta", {}, {}, curves), InputError);
}

TEST_CASE("tables that are no curves are refused") {
  CHECK_THROWS_AS(Curve("c", {1}, {1}, {}, {}), InputError);
  CHECK_THROWS_AS(Curve("c", {0, 1, 1}, {0, 1, 2}, {}, {}), InputError);
  CHECK_THROWS_AS(Curve("c", {0, NAN}, {0, 1}, {}, {}), InputError);
}
