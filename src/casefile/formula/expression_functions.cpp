#include "casefile/formula/expression_functions.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace williwaw::casefile {

namespace {

using List = std::vector<Expression>;
using Rule = FormulaFunction::Dimensions;

Expression one(const char* name, const Expression& a) {
  return Expression::call(name, {a});
}

Expression squared(const Expression& a) {
  return power(a, 2.0);
}

Expression root(const Expression& a) {
  return one("sqrt", a);
}

// From the derivative at the operand.
template <class Slope>
auto chain(Slope slope) {
  return [slope](const List& a, const List& da) { return slope(a[0]) * da[0]; };
}

Expression chosen(Expression::Operation comparison, const Expression& a, const Expression& b,
                  const Expression& first, const Expression& second) {
  const Expression condition(Expression::Node{comparison, 0, {}, {a, b}});
  return Expression(Expression::Node{Expression::Operation::select, 0, {}, {condition, first, second}});
}

// min and max of any number of operands.
auto extreme(Expression::Operation comparison, const char* name) {
  return [comparison, name](const List& a, const List& da) {
    Expression value = a[0], slope = da[0];
    for (std::size_t n = 1; n < a.size(); ++n) {
      slope = chosen(comparison, a[n], value, da[n], slope);
      value = Expression::call(name, {value, a[n]});
    }
    return slope;
  };
}

Expression total(const List& da) {
  Expression result = da[0];
  for (std::size_t n = 1; n < da.size(); ++n) result = result + da[n];
  return result;
}

std::vector<FormulaFunction> all() {
  const Real bell = 2 / std::sqrt(std::numbers::pi);
  const auto gauss = [bell](const Expression& a) { return bell * one("exp", -squared(a)); };
  return {
      {"sin", 1, Rule::pure, function_lines::sin, nullptr,
       chain([](const Expression& a) { return one("cos", a); })},
      {"cos", 1, Rule::pure, function_lines::cos, nullptr,
       chain([](const Expression& a) { return -one("sin", a); })},
      {"tan", 1, Rule::pure, function_lines::tan, nullptr,
       chain([](const Expression& a) { return 1.0 + squared(one("tan", a)); })},
      {"asin", 1, Rule::pure, function_lines::asin, nullptr,
       chain([](const Expression& a) { return 1.0 / root(1.0 - squared(a)); })},
      {"acos", 1, Rule::pure, function_lines::acos, nullptr,
       chain([](const Expression& a) { return -1.0 / root(1.0 - squared(a)); })},
      {"atan", 1, Rule::pure, function_lines::atan, nullptr,
       chain([](const Expression& a) { return 1.0 / (1.0 + squared(a)); })},
      {"sinh", 1, Rule::pure, function_lines::sinh, nullptr,
       chain([](const Expression& a) { return one("cosh", a); })},
      {"cosh", 1, Rule::pure, function_lines::cosh, nullptr,
       chain([](const Expression& a) { return one("sinh", a); })},
      {"tanh", 1, Rule::pure, function_lines::tanh, nullptr,
       chain([](const Expression& a) { return 1.0 - squared(one("tanh", a)); })},
      {"asinh", 1, Rule::pure, function_lines::asinh, nullptr,
       chain([](const Expression& a) { return 1.0 / root(squared(a) + 1.0); })},
      {"acosh", 1, Rule::pure, function_lines::acosh, nullptr,
       chain([](const Expression& a) { return 1.0 / root(squared(a) - 1.0); })},
      {"atanh", 1, Rule::pure, function_lines::atanh, nullptr,
       chain([](const Expression& a) { return 1.0 / (1.0 - squared(a)); })},
      {"exp", 1, Rule::pure, function_lines::exp, nullptr,
       chain([](const Expression& a) { return one("exp", a); })},
      {"log", 1, Rule::pure, function_lines::log, nullptr,
       chain([](const Expression& a) { return 1.0 / a; })},
      {"ln", 1, Rule::pure, function_lines::log, nullptr, chain([](const Expression& a) { return 1.0 / a; })},
      {"log2", 1, Rule::pure, function_lines::log2, nullptr,
       chain([](const Expression& a) { return 1 / std::numbers::ln2 / a; })},
      {"log10", 1, Rule::pure, function_lines::log10, nullptr,
       chain([](const Expression& a) { return 1 / std::numbers::ln10 / a; })},
      {"erf", 1, Rule::pure, function_lines::erf, nullptr, chain(gauss)},
      {"erfc", 1, Rule::pure, function_lines::erfc, nullptr,
       chain([gauss](const Expression& a) { return -gauss(a); })},
      {"sqrt", 1, Rule::root, function_lines::sqrt, nullptr,
       chain([](const Expression& a) { return 0.5 / root(a); })},
      {"abs", 1, Rule::kept, function_lines::abs, nullptr,
       chain([](const Expression& a) { return one("sign", a); })},
      {"sign", 1, Rule::dropped, function_lines::sign, nullptr, nullptr},
      {"floor", 1, Rule::pure, function_lines::floor, nullptr, nullptr},
      {"ceil", 1, Rule::pure, function_lines::ceil, nullptr, nullptr},
      {"rint", 1, Rule::pure, function_lines::rint, nullptr, nullptr},
      {"mod", 2, Rule::remainder, nullptr, &lines_of_two::remainder, nullptr},
      {"atan2", 2, Rule::dropped, nullptr, &angle,
       [](const List& a, const List& da) {
         return (a[1] * da[0] - a[0] * da[1]) / (squared(a[0]) + squared(a[1]));
       }},
      {"min", 0, Rule::kept, nullptr, &lines_of_two::smaller, extreme(Expression::Operation::less, "min")},
      {"max", 0, Rule::kept, nullptr, &lines_of_two::larger, extreme(Expression::Operation::greater, "max")},
      {"sum", 0, Rule::kept, nullptr, &lines_of_two::add,
       [](const List&, const List& da) { return total(da); }},
      {"avg", 0, Rule::kept, nullptr, &lines_of_two::add,
       [](const List&, const List& da) { return total(da) / static_cast<Real>(da.size()); }},
  };
}

}  // namespace

const std::vector<FormulaFunction>& functions_of_formulas() {
  static const std::vector<FormulaFunction> list = all();
  return list;
}

const FormulaFunction* function_called(const std::string& name) {
  const auto& list = functions_of_formulas();
  const auto found = std::ranges::find(list, name, &FormulaFunction::name);
  return found == list.end() ? nullptr : &*found;
}

}  // namespace williwaw::casefile
