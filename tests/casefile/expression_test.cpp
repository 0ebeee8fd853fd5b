// The expression tree: its values against an independent parser of the same language, its derivatives against
// differences, its text against itself, and the dimensions it comes out as.
#include "williwaw/casefile/expression.hpp"

#include <doctest/doctest.h>
#include <muParser.h>

#include <array>
#include <cmath>
#include <random>

#include "williwaw/casefile/dimension.hpp"
#include "williwaw/casefile/formula.hpp"

using namespace williwaw;
using namespace williwaw::casefile;

namespace {

const std::vector<std::string> expression_variables{"x", "y", "t", "u"};

Real value(const Expression& e, Real x, Real y, Real t, Real u) {
  Real out = 0;
  evaluate(e, {&x, &y, nullptr, &u, t, 1}, &out);
  return out;
}

Real reference(const std::string& formula, Real x, Real y, Real t, Real u) {
  mu::Parser parser;
  parser.DefineFun("erf", [](Real v) { return std::erf(v); });
  parser.DefineFun("floor", [](Real v) { return std::floor(v); });
  parser.DefineConst("slab", 0.4);
  parser.DefineVar("x", &x);
  parser.DefineVar("y", &y);
  parser.DefineVar("t", &t);
  parser.DefineVar("u", &u);
  parser.SetExpr(formula);
  return parser.Eval();
}

// A formula of all that the language has, put together at random.
std::string random_formula(std::mt19937& random, int depth) {
  const auto pick = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  const auto inner = [&] { return random_formula(random, depth - 1); };
  if (depth == 0) {
    static const char* const leaves[] = {"x", "y", "t", "u", "2", "0.3", "1.5e-1", "slab"};
    return leaves[pick(8)];
  }
  static const char* const binary[] = {"+", "-", "*", "/", "<", ">=", "!="};
  static const char* const functions[] = {"sin", "exp",  "tanh", "abs", "floor",
                                          "erf", "atan", "sqrt", "sign"};
  switch (pick(8)) {
    case 0:
      return "(-(" + inner() + "))";
    case 1:
      return inner() + "^" + (pick(2) == 0 ? "2" : "-" + std::to_string(1 + pick(3)));
    case 2:
      return std::string(functions[pick(9)]) + "(" + inner() + ")";
    case 3:
      return "(" + inner() + ")";
    case 4:
      return "(" + inner() + " > " + inner() + " ? " + inner() + " : " + inner() + ")";
    case 5:
      return (pick(2) == 0 ? "min(" : "max(") + inner() + ", " + inner() + ")";
    case 6:
      // The other parser folds && of fractions as of whole numbers.
      return "((" + inner() + ") < (" + inner() + ")" + (pick(2) == 0 ? " && " : " || ") + "(" + inner() +
             ") > (" + inner() + "))";
    default:
      return inner() + binary[pick(7)] + inner();
  }
}

bool same(Real a, Real b) {
  if (std::isnan(a) || std::isnan(b)) return std::isnan(a) == std::isnan(b);
  if (std::isinf(a) || std::isinf(b)) return a == b;
  return std::abs(a - b) <= 1e-12 * std::max({std::abs(a), std::abs(b), 1e-300});
}

}  // namespace

TEST_CASE("values agree with an independent parser of the same language, on 4000 random formulas") {
  std::mt19937 random(17);
  int finite = 0;
  for (int n = 0; n < 4000; ++n) {
    const std::string formula = random_formula(random, 1 + n % 5);
    CAPTURE(formula);
    const Expression e = parse_expression(formula, {{"slab", 0.4}}, expression_variables);
    const Expression again = parse_expression(e.text(), {}, expression_variables);
    for (const auto& [x, y, t, u] : {std::array{0.7, -1.3, 2.1, 0.4}, {-0.2, 0.9, 0.3, 3.7}}) {
      const Real got = value(e, x, y, t, u);
      CHECK(same(got, reference(formula, x, y, t, u)));
      CHECK(same(value(again, x, y, t, u), got));  // what is written reads as the same
      finite += std::isfinite(got) ? 1 : 0;
    }
  }
  CHECK(finite > 5000);
}

TEST_CASE("several formulas at once have the values of each by itself, to the last bit") {
  std::mt19937 random(5);
  const Index count = 300;  // more than one block
  const std::vector<std::string> names{"u", "w"};
  Points places(count);
  std::vector<Real> u(count), w(count);
  for (Index i = 0; i < count; ++i) {
    places.set(i, {0.01 * static_cast<Real>(i), std::cos(static_cast<Real>(i)), 0});
    u[i] = 0.5 + 0.3 * std::sin(0.2 * static_cast<Real>(i));
    w[i] = 0.1 * static_cast<Real>(i % 7);
  }
  for (int n = 0; n < 300; ++n) {
    // Parts in common, a formula twice, one that is an unknown alone, and one without any.
    const std::string part = random_formula(random, 2), other = random_formula(random, 1 + n % 3);
    const std::vector<std::string> formulas{"(" + part + ")*w + (" + other + ")^3",
                                            "(" + other + ")^3 - (" + part + ")*w",
                                            "w",
                                            "(" + part + ")*w + (" + other + ")^3",
                                            "1 + t",
                                            "sum_over(k, 1, 3, k*(" + part + ")) - w^4",
                                            "-w"};
    std::vector<Expression> all;
    for (const std::string& formula : formulas) {
      auto variables = expression_variables;
      variables.emplace_back("w");
      all.push_back(parse_expression(formula, {{"slab", 0.4}}, variables));
    }
    const std::vector<std::span<const Real>> values{u, w};
    // Lines of the same unknowns, as reactions of seven of them would ask for.
    std::vector<std::vector<Real>> made(all.size(), std::vector<Real>(count)), alone = made;
    std::vector<std::span<Real>> out(made.begin(), made.end());
    const SystemReaction together = system_reaction_of(names, all);
    together.rate(places, 0.7, values, out);
    for (std::size_t m = 0; m < all.size(); ++m) {
      CAPTURE(formulas[m]);
      FormulaInputs inputs{places.x.data(), places.y.data(), nullptr, nullptr, 0.7, count};
      inputs.names = names;
      inputs.unknowns = values;
      evaluate(all[m], inputs, alone[m].data());
      Index apart = 0;
      for (Index i = 0; i < count; ++i)
        if (made[m][i] != alone[m][i] && !(std::isnan(made[m][i]) && std::isnan(alone[m][i]))) ++apart;
      CHECK(apart == 0);
    }
  }
}

namespace {

// One value, from the tree as it stands: no lists, no blocks, nothing shared or left out.
Real plain_value(const Expression& e, std::map<std::string, Real> at) {
  using enum Expression::Operation;
  const auto of = [&](std::size_t n) { return plain_value(e.operand(n), at); };
  switch (e.operation()) {
    case number:
      return e.node().value;
    case variable:
      return at.at(e.node().name);
    case add:
      return of(0) + of(1);
    case subtract:
      return of(0) - of(1);
    case multiply:
      return of(0) * of(1);
    case divide:
      return of(0) / of(1);
    case less:
      return of(0) < of(1) ? 1 : 0;
    case greater_equal:
      return of(0) >= of(1) ? 1 : 0;
    case both:
      return of(0) != 0 && of(1) != 0 ? 1 : 0;
    case select:
      return of(0) != 0 ? of(1) : of(2);
    case sum: {
      Real result = 0;
      for (Index k = e.node().first; k <= e.node().last; ++k) {
        at[e.node().name] = static_cast<Real>(k);
        result += plain_value(e.operand(0), at);
      }
      return result;
    }
    default:
      throw std::logic_error("not in these formulas");
  }
}

// Conditions and sums within each other; indices n and m may hide each other.
std::string nested_formula(std::mt19937& random, int depth, const std::vector<std::string>& names) {
  const auto any = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  const auto part = [&] { return nested_formula(random, depth - 1, names); };
  if (depth == 0 || any(8) == 0)
    return any(4) == 0 ? std::to_string(any(5))
                       : names[static_cast<std::size_t>(any(static_cast<int>(names.size())))];
  switch (any(6)) {
    case 0:
    case 1: {
      const char* comparison = any(2) == 0 ? " < " : " >= ";
      return "((" + part() + comparison + part() + ") ? " + part() + " : " + part() + ")";
    }
    case 2: {
      auto inner = names;
      const std::string index = any(2) == 0 ? "n" : "m";
      inner.push_back(index);
      return "sum_over(" + index + ", " + std::to_string(any(3)) + ", 3, " +
             nested_formula(random, depth - 1, inner) + ")";
    }
    default: {
      const char* signs[] = {" + ", " - ", "*", "/"};
      return "(" + part() + signs[any(4)] + part() + ")";
    }
  }
}

}  // namespace

TEST_CASE("what a formula becomes may be nested deeper than a formula that is read") {
  std::string operands;
  for (int n = 1; n <= 300; ++n)
    operands += (n > 1 ? ", " : "") + ("sum_over(k, 1, 2, " + std::to_string(n) + "*k*u^3)");
  const Expression e = parse_expression("max(" + operands + ")", {}, {"u"}), slope = derivative(e, "u");
  const Real u = 0.5;
  FormulaInputs inputs;
  inputs.u = &u;
  inputs.count = 1;
  Real value = 0;
  evaluate(slope, inputs, &value);
  CHECK(value == doctest::Approx(300 * 3 * 3 * u * u));
}

TEST_CASE("conditions and sums within each other have the values of their trees, to the last bit") {
  std::mt19937 random(11);
  // Blocks in which every place agrees, and some in which not.
  const Index count = 900;
  std::vector<Real> x(count), y(count), u(count), out(count);
  for (Index i = 0; i < count; ++i) {
    x[i] = i < 300 ? -1.5 : 0.01 * static_cast<Real>(i - 300);
    y[i] = i % 400 == 0 ? 3 : 0.25;
    u[i] = static_cast<Real>((i * i) % 17) - 8;
  }
  int conditions = 0;
  for (int n = 0; n < 500; ++n) {
    // The first ones name the same index twice, one within the other and one after the other.
    const std::string same = "(x < n ? u : n)";
    const std::string formula = n == 0   ? "sum_over(n, 1, 3, " + same + " + sum_over(n, 2, 4, " + same + "))"
                                : n == 1 ? "sum_over(n, 1, 3, " + same + ") - sum_over(n, 2, 4, " + same + ")"
                                         : nested_formula(random, 2 + n % 4, {"x", "y", "t", "u"});
    CAPTURE(formula);
    const Expression e = parse_expression(formula, {}, expression_variables);
    evaluate(e, {x.data(), y.data(), nullptr, u.data(), 0.75, count}, out.data());
    conditions += formula.find('?') != std::string::npos ? 1 : 0;
    Index apart = 0;
    for (Index i = 0; i < count; i += 1 + i % 3) {
      const Real plain = plain_value(e, {{"x", x[i]}, {"y", y[i]}, {"t", 0.75}, {"u", u[i]}});
      if (plain != out[i] && !(std::isnan(plain) && std::isnan(out[i]))) ++apart;
    }
    CHECK(apart == 0);
  }
  CHECK(conditions > 100);
}

TEST_CASE("a value does not depend on its place among others") {
  const Expression e = parse_expression("sin(x)*exp(-y^2)/(1 + u^3) + (x > 0.5 ? t : sum_over(n, 1, 3, n*x))",
                                        {}, expression_variables);
  const Index count = 777;
  std::vector<Real> x(count), y(count), u(count), all(count);
  for (Index i = 0; i < count; ++i) {
    x[i] = 0.01 * static_cast<Real>(i % 101);
    y[i] = 0.3 * std::sin(static_cast<Real>(i));
    u[i] = 0.002 * static_cast<Real>(i);
  }
  evaluate(e, {x.data(), y.data(), nullptr, u.data(), 0.25, count}, all.data());
  for (Index i = 0; i < count; ++i) CHECK(value(e, x[i], y[i], 0.25, u[i]) == all[i]);
}

TEST_CASE("derivatives agree with central differences") {
  for (const char* formula : {"u^3",
                              "x*u^2/(1 + u)",
                              "exp(-u^2/2)*sin(3*u)",
                              "u^x",
                              "2^u",
                              "sqrt(1 + u)",
                              "log(2 + u)*tanh(u)",
                              "erf(u) - erfc(2*u)",
                              "u > 0.3 ? u^2 : -u",
                              "max(u, 0.3*u^2, -u)",
                              "abs(u - 2)",
                              "sum_over(n, 1, 4, u^n/n)",
                              "atan2(u, 2 + x)",
                              "cosh(u)/sinh(1 + u)",
                              "asin(u/3) + acos(u/4)*atan(u)",
                              "asinh(u) + acosh(2 + u) + atanh(u/3)",
                              "log10(1 + u)*log2(2 + u)",
                              "tan(u/2)",
                              "avg(u, u^2, 3)",
                              "-(1 - u)^2*u/(u^2 + (1 - u)^2)"}) {
    CAPTURE(formula);
    const Expression e = parse_expression(formula, {}, {"x", "u"}), d = derivative(e, "u");
    for (const Real u : {0.11, 0.62, 0.97}) {
      const Real h = 1e-5;
      const Real slope = (value(e, 0.8, 0, 0, u + h) - value(e, 0.8, 0, 0, u - h)) / (2 * h);
      CHECK(value(d, 0.8, 0, 0, u) == doctest::Approx(slope).epsilon(1e-7));
    }
  }
  CHECK(derivative(parse_expression("u^2/2", {}, {"u"}), "u").text() == "u");
  CHECK(derivative(parse_expression("3*x + 7", {}, {"x", "u"}), "u").is_number(0));
  CHECK_THROWS_AS(derivative(parse_expression("floor(u)", {}, {"u"}), "u"), InputError);
  // Not of u: no jump along u.
  CHECK(derivative(parse_expression("floor(x)*u", {}, {"x", "u"}), "u").text() == "floor(x)");
}

TEST_CASE("text that exhausts a stack elsewhere is refused") {
  const std::string deep(5000, '('), minus(5000, '-');
  CHECK_THROWS_AS(parse_expression(deep + "1", {}, {}), InputError);
  CHECK_THROWS_AS(parse_expression(minus + "1", {}, {}), InputError);
  std::string many = "1";
  for (int n = 0; n < 5000; ++n) many += "+1";
  CHECK_THROWS_AS(parse_expression(many, {}, {}), InputError);
  for (const char* wrong : {"", " ", "1 2", "x y", "x(2)", "sin()", "sin 2", "sin(1, 2)", "2**3", "(1", "1)",
                            "1 ? 2", "a=1", "min()"})
    CHECK_THROWS_AS(parse_expression(wrong, {}, {"x", "y"}), InputError);
}

namespace {

// What a formula comes out as: its dimension, "point" before one on a scale, or the complaint.
std::string measured(const std::string& formula) {
  const std::map<std::string, Measure> names{{"slab", {Dimension(Unit::of("m"))}},
                                             {"x", {Dimension(Unit::of("m"))}},
                                             {"t", {Dimension(Unit::of("s"))}},
                                             {"day", {Dimension(Unit::of("s"))}},
                                             {"spread", {Dimension(Unit::of("m^2/s"))}},
                                             {"night", {Dimension(Unit::of("K")), Measure::Origin::scale}},
                                             {"noon", {Dimension(Unit::of("K")), Measure::Origin::scale}},
                                             {"u", {Dimension(Unit::of("K")), Measure::Origin::absolute}},
                                             {"swing", {Dimension(Unit::of("K"))}},
                                             {"angle", {Dimension(Unit::of("radian"))}}};
  Constants values;
  for (const auto& [name, m] : names) values[name] = 1;
  try {
    const Measure m = measure_of(read_formula(formula, values, {}), formula, [&](const std::string& n) {
      const auto found = names.find(n);
      return found == names.end() ? Measure{} : found->second;
    });
    return (m.origin == Measure::Origin::scale ? "point " : "") + m.dimension.text();
  } catch (const InputError& e) {
    return e.what();
  }
}

}  // namespace

TEST_CASE("formulas come out in dimensions") {
  CHECK(measured("2*slab + x") == "m");
  CHECK(measured("sin(2*pi*t/day)") == "1");
  CHECK(measured("exp(-x^2/(4*spread*t))/sqrt(spread*t)") == "1/m");
  CHECK(measured("sqrt(spread)*sqrt(t)") == "m");
  CHECK(measured("spread^0.5") == "m/s^0.5");
  CHECK(measured("sin(angle)") == "1");
  CHECK(measured("x > 0 && t < day ? spread : 0") == "m^2/s");
  CHECK(measured("max(x, slab, 0)") == "m");
  CHECK(measured("sum_over(n, 1, 3, n*x)") == "m");
  CHECK(measured("5.67e-8*u^4") == "K^4");
  CHECK(measured("sign(x)*abs(slab)") == "m");
  CHECK(measured("mod(t, day)") == "s");
  // Temperatures: points on a scale, and differences.
  CHECK(measured("night") == "point K");
  CHECK(measured("night + swing*sin(2*pi*t/day)") == "point K");
  CHECK(measured("swing + night") == "point K");
  CHECK(measured("night - noon") == "K");
  CHECK(measured("night + 0.5*(noon - night)") == "point K");
  CHECK(measured("u - night") == "K");
  CHECK(measured("avg(night, noon)") == "point K");
  CHECK(measured("x < slab ? night : noon") == "point K");
  CHECK(measured("max(night, noon)") == "point K");
  CHECK(measured("u > noon") == "1");
}

TEST_CASE("formulas whose dimensions do not fit name the part and its place") {
  const auto says = [](const std::string& formula, const std::string& words) {
    const std::string text = measured(formula);
    CAPTURE(text);
    CHECK(text.find(words) != std::string::npos);
  };
  says("1 + x", "character 1: terms of a sum need equal dimensions: '1' is a pure number, 'x' is in m");
  says("2*(x + t)", "character 4: terms of a sum need equal dimensions: 'x' is in m, 't' is in s");
  says("12 + 9*sin(2*pi*t/6)", "'sin' takes a pure number, but '2*pi*t/6' is in s");
  says("exp(x)", "character 5: 'exp' takes a pure number, but 'x' is in m");
  says("x < 0.2", "both sides of a comparison need equal dimensions");
  says("2^x", "an exponent must be a pure number");
  says("slab^(x/slab)", "its exponent must be a constant");
  says("max(x, 1)", "the values of 'max' need equal dimensions");
  says("t > day ? x : t", "both results of a condition need equal dimensions");
  says("night + noon", "are both temperatures on a scale");
  says("u + night", "are both temperatures on a scale");
  says("2*night", "'night' is a temperature on a scale");
  says("night*2", "'night' is a temperature on a scale");
  says("-night", "'night' is a temperature on a scale");
  says("(night + noon)/2", "are both temperatures on a scale");
  says("swing - night", "cannot be subtracted from a difference");
  says("night^4", "'night' is a temperature on a scale");
  says("sum_over(n, 1, 3, night)", "'night' is a temperature on a scale");
}
