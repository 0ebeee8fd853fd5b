#include "williwaw/problem/unknown_integral.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/problem/content.hpp"

using namespace williwaw;

namespace {

UnknownIntegral::Integrand each(Real (*f)(Real)) {
  return [f](std::span<const Real> u, std::span<Real> out) {
    for (std::size_t i = 0; i < u.size(); ++i) out[i] = f(u[i]);
  };
}

}  // namespace

TEST_CASE("integrals of smooth, kinked and jumping functions are those of their antiderivatives") {
  struct Known {
    Real (*f)(Real), (*antiderivative)(Real);
  };
  for (const auto& [f, primitive] :
       {Known{[](Real u) { return std::exp(5 * u); }, [](Real u) { return std::exp(5 * u) / 5; }},
        Known{[](Real u) { return std::abs(u - 0.3); },
              [](Real u) { return 0.5 * (u - 0.3) * std::abs(u - 0.3); }},
        Known{[](Real u) { return u < -0.7 ? 2.0 : 5.0; },
              [](Real u) { return u < -0.7 ? 2 * (u + 0.7) : 5 * (u + 0.7); }},
        Known{[](Real u) { return std::sqrt(std::abs(u)); },
              [](Real u) { return std::copysign(std::pow(std::abs(u), 1.5) / 1.5, u); }}}) {
    UnknownIntegral integral(each(f), 1.3);
    integral.cover(-4, 2.5);
    for (const Real a : {-4.0, -0.71, -0.2, 0.0, 0.29})
      for (const Real b : {-3.9, -0.69, 0.31, 2.5}) {
        CAPTURE(a);
        CAPTURE(b);
        CHECK(integral.between(a, b) ==
              doctest::Approx(primitive(b) - primitive(a)).epsilon(1e-12).scale(std::abs(primitive(2.5))));
        CHECK(integral.between(a, b) == -integral.between(b, a));
      }
  }
}

TEST_CASE("means between neighbours that are nearly the same lose no digits") {
  UnknownIntegral integral(each([](Real u) { return std::exp(9 * u); }), 2);
  integral.cover(-30, 1);
  for (const Real u : {-29.0, -3.0, 0.5})
    for (const Real d : {1e-3, 1e-9, 1e-15, 0.0}) {
      const Real apart = (u + d) - u;
      const Real exact = std::exp(9 * u) * (apart == 0 ? 1 : std::expm1(9 * apart) / (9 * apart));
      CHECK(integral.mean(u, u + d) == doctest::Approx(exact).epsilon(1e-12));
    }
}

TEST_CASE("what was asked for before does not change a bit of an integral") {
  const auto f = each([](Real u) { return 1 / (1 + u * u); });
  UnknownIntegral at_once(f, 0.7), by_and_by(f, 0.7);
  at_once.cover(-50, 50);
  for (const Real reach : {0.1, 1.0, 3.0, 50.0}) by_and_by.cover(-reach, reach / 2);
  by_and_by.cover(0, 50);
  for (const Real a : {-49.0, -2.0, 0.3})
    for (const Real b : {-1.0, 7.0, 49.5}) CHECK(at_once.between(a, b) == by_and_by.between(a, b));
}

TEST_CASE("functions of the unknown keep their derivatives through products, sums and regions") {
  const auto regions =
      std::make_shared<const Regions>(Regions({{"right", [](const Points& p, std::span<char> in) {
                                                  for (std::size_t i = 0; i < in.size(); ++i)
                                                    in[i] = p.x[i] > 0.5 ? 1 : 0;
                                                }}}));
  const Function square = Function::of_unknown([](Real u) { return u * u; }, [](Real u) { return 2 * u; });
  const Function place = [](Point p) { return 1 + p.x; };
  const Function both = Function::by_region(regions, {square * place, sum(square, square * square)});
  CHECK(both.depends_on_unknown());
  CHECK(both.depends_on_place());
  Points places(2);
  places.set(0, {0.25, 0, 0});
  places.set(1, {0.75, 0, 0});
  const std::vector<Real> u{3, 2};
  std::vector<Real> out(2);
  both.evaluate(places, 0, u, out);
  CHECK(out[0] == doctest::Approx(9 * 1.25));
  CHECK(out[1] == doctest::Approx(4 + 16));
  both.slope(places, 0, u, out);
  CHECK(out[0] == doctest::Approx(6 * 1.25));
  CHECK(out[1] == doctest::Approx(4 + 32));
  CHECK_THROWS_AS(both(Point{}), InputError);
  // Without a derivative of its own by differences.
  const Function plain = Function::of_unknown([](Real v) { return std::sin(v); });
  plain.slope(places, 0, u, out);
  CHECK(out[0] == doctest::Approx(std::cos(3.0)).epsilon(1e-8));
}

TEST_CASE("a storage of the unknown stores its integral; the range of a phase change is centred") {
  const Function c = Function::of_unknown([](Real u) { return 2 + u; }, [](Real) { return 1.0; });
  const Function content = content_of_storage(c, 1, 1);
  CHECK(content.at({}, 0, 3) - content.at({}, 0, 1) == doctest::Approx(4 + 4));
  CHECK(content.at({}, 0, 1) == doctest::Approx(3));
  const PhaseChange change{50, 10, 4};
  CHECK(change.frozen(7.9) == 1);
  CHECK(change.frozen(10) == doctest::Approx(0.5));
  CHECK(change.frozen(12.1) == 0);
  const Equation e = with_phase_change(heat(1.0, 1.0, 3.0), change, 10, 10);
  CHECK(e.content->at({}, 0, 12) - e.content->at({}, 0, 8) == doctest::Approx(3 * 4 + 50));
  CHECK_THROWS_AS(with_phase_change(heat(1.0, 1.0, 3.0), {50, 10, 0}, 10, 10), InputError);
  CHECK_THROWS_AS(content_of_storage(c * Function([](Point p) { return p.x; }), 1, 1), InputError);
}

TEST_CASE("values where two ranges of a table meet come out the same whatever else it covers") {
  const auto f = each([](Real u) { return std::exp(u) / (1.3 + u * u); });
  UnknownIntegral all(f, 1);
  all.cover(-9, 9);
  const std::pair<Real, Real> ranges[] = {{0, 1}, {-1, 0}, {0.7, 1}, {-2, -1.3},
                                          {1, 1}, {0, 0},  {2, 2},   {-4, -4}};
  for (const auto& range : ranges) {
    const Real a = range.first, b = range.second;
    CAPTURE(a);
    CAPTURE(b);
    UnknownIntegral these(f, 1);
    these.cover(a, b);
    CHECK(these.mean(a, b) == all.mean(a, b));
    CHECK(these.mean(b, b) == all.mean(b, b));
    CHECK(these.mean(a, a) == all.mean(a, a));
  }
  // Below zero alone there is a number.
  UnknownIntegral below(each([](Real u) { return u > 0 ? std::nan("") : 1 + u * u; }), 1);
  below.cover(-1, 0);
  CHECK(below.mean(0, 0) == doctest::Approx(1));
  CHECK(below.mean(-1, 0) == doctest::Approx(4.0 / 3));
}
