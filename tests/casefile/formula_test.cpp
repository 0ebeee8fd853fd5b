#include "williwaw/casefile/formula.hpp"

#include <doctest/doctest.h>

#include <cmath>

using namespace williwaw;
using namespace williwaw::casefile;

namespace {
Real value(const std::string& formula, const Point& p = {}, Real t = 0) {
  return compile(formula, {{"slab", 0.4}}, {"x", "y", "z", "t"})(p, t);
}
std::string complaint(const std::string& formula, const std::vector<std::string>& variables = {"x", "t"}) {
  try {
    compile(formula, {{"slab", 0.4}, {"night", 250}}, variables);
  } catch (const InputError& e) {
    return e.what();
  }
  return "";
}
}  // namespace

TEST_CASE("formulas know constants, coordinates, time and the usual functions") {
  CHECK(value("18*exp(-x/slab)", {0.8, 0, 0}) == doctest::Approx(18 * std::exp(-2)));
  CHECK(value("x + 10*y + 100*z + 1000*t", {1, 2, 3}, 4) == 4321);
  CHECK(value("sin(pi/6)") == doctest::Approx(0.5));
  CHECK(value("2*day + 3*hour + minute") == 2 * 86400 + 3 * 3600 + 60);
  CHECK(value("log(exp(2))") == doctest::Approx(2));
  CHECK(value("erf(x) + erfc(x)", {0.3, 0, 0}) == doctest::Approx(1));
  CHECK(value("mod(-0.25, 1) + floor(2.7) + ceil(2.1)") == doctest::Approx(5.75));
  CHECK(value("x > 0.5 ? 1 : -1", {0.7, 0, 0}) == 1);
  CHECK(value("abs(x - 0.1) < 0.02", {0.11, 0, 0}) == 1);
  CHECK(value("2^-1") == 0.5);
}

TEST_CASE("sums over an index, nested and beside others") {
  CHECK(value("sum_over(n, 1, 4, n)") == 10);
  CHECK(value("1 + 2*sum_over(n, 1, 3, x^n)", {2, 0, 0}) == 29);
  CHECK(value("sum_over(n, 1, 3, sum_over(m, 1, 2, n*m))") == 18);
  CHECK(value("sum_over(n, 0, 200, (-1)^n/(2*n+1)*exp(-t))") == doctest::Approx(M_PI / 4).epsilon(0.01));
  CHECK(value("sum_over(n, 2, 1, n)") == 0);
}

TEST_CASE("formulas are evaluated by line, in as many pieces as it takes") {
  const Function f = compile("x*t + sum_over(n, 1, 2, n*y)", {}, {"x", "y", "t"});
  CHECK(f.depends_on_place());
  CHECK(f.depends_on_time());
  const Index count = 1000;
  Points p(count);
  for (Index i = 0; i < count; ++i) p.set(i, {static_cast<Real>(i), 1, 0});
  std::vector<Real> out(count);
  f.evaluate(p, 2, out);
  for (Index i = 0; i < count; ++i) CHECK(out[i] == 2 * static_cast<Real>(i) + 3);
  CHECK(compile("3*pi", {}, {"x"}).is_constant());
  CHECK_FALSE(compile("t", {}, {"x", "t"}).depends_on_place());
}

TEST_CASE("formulas that cannot be read say why") {
  CHECK(complaint("18*exp(-x/slb)") ==
        "formula '18*exp(-x/slb)' cannot be read: unknown name 'slb'; did you mean 'slab'?");
  CHECK(complaint("nigth + 1") ==
        "formula 'nigth + 1' cannot be read: unknown name 'nigth'; did you mean 'night'?");
  CHECK(complaint("y + 1") == "formula 'y + 1' cannot be read: unknown name 'y'; here it may use x, t");
  CHECK(complaint("2*(x + 1").find("cannot be read") != std::string::npos);
  CHECK(complaint("sum_over(n, 1, 4)") ==
        "formula 'sum_over(n, 1, 4)': sum_over takes four things, (index, from, to, term), not 3");
  CHECK(complaint("sum_over(n, 1, x, n)").find("unknown name 'x'") != std::string::npos);
  CHECK(complaint("sum_over(n, 1, 2.5, n)").find("whole numbers") != std::string::npos);
  CHECK(complaint("").find("cannot be read") != std::string::npos);
}

TEST_CASE("the nearest word is offered only where it is near") {
  const std::vector<std::string> words{"conductivity", "density", "source"};
  CHECK(nearest("conductivty", words) == "conductivity");
  CHECK(nearest("desnity", words) == "density");
  CHECK(nearest("banana", words).empty());
}

TEST_CASE("products of place and time are told as factors") {
  const std::vector<std::string> variables{"x", "y", "t"};
  for (const char* formula :
       {"exp(-x^2)*sin(3*t)", "2*sin(t)*exp(-x^2)*(1 + y)", "-x*t/(1 + t^2)/(2 + y)", "t/(3*(x + 1)*(t + 2))",
        "(x > 0.5 ? 3 : 0)*(t < 2 ? 1 : 0)", "x*-t", "t < 1 ? exp(-x^2)*t : 0", "t > 0.5 && t < 3 ? 0 : x",
        "2*(t < 1 ? x*t : -x)"}) {
    CAPTURE(formula);
    const Function f = compile(formula, {}, variables);
    REQUIRE(f.factors());
    CHECK_FALSE(f.factors()->place.depends_on_time());
    CHECK_FALSE(f.factors()->time.depends_on_place());
    for (const Real x : {0.3, 0.9})
      for (const Real t : {0.4, 2.7}) {
        const Point p{x, 0.2, 0};
        CHECK(f.factors()->place(p) * f.factors()->time(Point{}, t) ==
              doctest::Approx(f(p, t)).epsilon(1e-15));
      }
  }
  for (const char* formula :
       {"exp(-x^2*t)", "x + t", "x", "t", "x*(y + t)", "1/(x + t)", "t < 1 ? x : y", "x < t ? x : 0"}) {
    CAPTURE(formula);
    CHECK_FALSE(compile(formula, {}, variables).factors());
  }
}
