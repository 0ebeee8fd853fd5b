#include "casefile/formula/expression_functions.hpp"

namespace williwaw::casefile {

namespace {

Expression of_power(const Expression& e, const Expression& da, const Expression& db) {
  const Expression &a = e.operand(0), &b = e.operand(1);
  if (db.is_number(0)) return b * power(a, b - 1.0) * da;
  const Expression by_exponent = Expression::call("log", {a}) * e * db;
  if (da.is_number(0)) return by_exponent;
  return b * power(a, b - 1.0) * da + by_exponent;
}

Expression of_function(const Expression& e, const std::string& name) {
  const FormulaFunction& f = *function_called(e.node().name);
  std::vector<Expression> slopes;
  bool any = false;
  for (const auto& o : e.node().operands) {
    slopes.push_back(derivative(o, name));
    any = any || !slopes.back().is_number(0);
  }
  if (!any) return 0.0;
  if (!f.derivative)
    throw InputError("cannot be differentiated: '" + f.name + "' jumps; use functions without jumps");
  return f.derivative(e.node().operands, slopes);
}

}  // namespace

Expression derivative(const Expression& e, const std::string& name) {
  const auto d = [&](std::size_t n) { return derivative(e.operand(n), name); };
  switch (e.operation()) {
    case Expression::Operation::number:
    case Expression::Operation::constant:
      return 0.0;
    case Expression::Operation::variable:
      return e.node().name == name ? 1.0 : 0.0;
    case Expression::Operation::negate:
      return -d(0);
    case Expression::Operation::add:
      return d(0) + d(1);
    case Expression::Operation::subtract:
      return d(0) - d(1);
    case Expression::Operation::multiply:
      return d(0) * e.operand(1) + e.operand(0) * d(1);
    case Expression::Operation::divide: {
      const Expression above = d(0), below = d(1);
      if (below.is_number(0)) return above / e.operand(1);
      return above / e.operand(1) - e.operand(0) * below / power(e.operand(1), 2.0);
    }
    case Expression::Operation::raise:
      return of_power(e, d(0), d(1));
    case Expression::Operation::select: {
      const Expression first = d(1), second = d(2);
      if (first.is_number() && second.is_number() && first.node().value == second.node().value) return first;
      return Expression(
          Expression::Node{Expression::Operation::select, 0, {}, {e.operand(0), first, second}});
    }
    case Expression::Operation::function:
      return of_function(e, name);
    case Expression::Operation::curve: {
      const Expression inner = d(0);
      if (inner.is_number(0)) return 0.0;
      Expression::Node slope = e.node();
      ++slope.first;
      slope.begin = slope.end = 0;
      return Expression(std::move(slope)) * inner;
    }
    case Expression::Operation::sum: {
      if (e.node().name == name) return 0.0;
      const Expression term = d(0);
      if (term.is_number(0)) return 0.0;
      Expression::Node node = e.node();
      node.operands = {term};
      node.begin = node.end = 0;
      return Expression(std::move(node));
    }
    default:
      return 0.0;  // comparisons are flat but for their jumps, which belong to no place
  }
}

}  // namespace williwaw::casefile
