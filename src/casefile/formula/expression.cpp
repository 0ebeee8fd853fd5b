#include "williwaw/casefile/expression.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/formula/expression_functions.hpp"

namespace williwaw::casefile {

Expression::Expression(Real number) : Expression(Node{Operation::number, number, {}, {}}) {}

Expression::Expression(Node node) : node_(std::make_shared<const Node>(std::move(node))) {}

Expression Expression::constant(const std::string& name, Real value) {
  return Expression(Node{Operation::constant, value, name, {}});
}

Expression Expression::variable(const std::string& name) {
  return Expression(Node{Operation::variable, 0, name, {}});
}

Expression Expression::call(const std::string& function, std::vector<Expression> operands) {
  return Expression(Node{Operation::function, 0, function, std::move(operands)});
}

bool Expression::uses(const std::string& name) const {
  const bool named = operation() == Operation::variable || operation() == Operation::constant;
  if (named && node_->name == name) return true;
  // The index of a sum hides a variable of the same name.
  if (operation() == Operation::sum && node_->name == name) return false;
  return std::ranges::any_of(node_->operands, [&](const Expression& e) { return e.uses(name); });
}

namespace {

Expression made(Expression::Operation operation, std::vector<Expression> operands) {
  return Expression(Expression::Node{operation, 0, {}, std::move(operands)});
}

// How tightly an operation binds; operands that bind less are written in brackets.
int strength(Expression::Operation operation) {
  switch (operation) {
    case Expression::Operation::select:
      return 0;
    case Expression::Operation::either:
      return 1;
    case Expression::Operation::both:
      return 2;
    case Expression::Operation::less:
    case Expression::Operation::less_equal:
    case Expression::Operation::greater:
    case Expression::Operation::greater_equal:
    case Expression::Operation::equal:
    case Expression::Operation::not_equal:
      return 3;
    case Expression::Operation::add:
    case Expression::Operation::subtract:
      return 4;
    case Expression::Operation::multiply:
    case Expression::Operation::divide:
      return 5;
    case Expression::Operation::negate:
      return 6;
    case Expression::Operation::raise:
      return 7;
    default:
      return 8;
  }
}

const char* sign_of(Expression::Operation operation) {
  switch (operation) {
    case Expression::Operation::either:
      return " || ";
    case Expression::Operation::both:
      return " && ";
    case Expression::Operation::less:
      return " < ";
    case Expression::Operation::less_equal:
      return " <= ";
    case Expression::Operation::greater:
      return " > ";
    case Expression::Operation::greater_equal:
      return " >= ";
    case Expression::Operation::equal:
      return " == ";
    case Expression::Operation::not_equal:
      return " != ";
    case Expression::Operation::add:
      return " + ";
    case Expression::Operation::subtract:
      return " - ";
    case Expression::Operation::multiply:
      return "*";
    case Expression::Operation::divide:
      return "/";
    default:
      return "^";
  }
}

std::string number_text(Real value, bool in_short) {
  std::string text = in_short ? fmt::format("{:.6g}", value) : fmt::format("{}", value);
  return value < 0 ? "(" + text + ")" : text;
}

std::string text_of(const Expression& e, bool in_short) {
  const auto& node = e.node();
  const auto inner = [&](std::size_t n, int least) {
    const Expression& of = e.operand(n);
    const std::string text = text_of(of, in_short);
    return strength(of.operation()) < least ? "(" + text + ")" : text;
  };
  switch (node.operation) {
    case Expression::Operation::number:
      return number_text(node.value, in_short);
    case Expression::Operation::constant:
      return in_short ? node.name : number_text(node.value, false);
    case Expression::Operation::variable:
      return node.name;
    case Expression::Operation::negate:
      return "-" + inner(0, 7);
    case Expression::Operation::select:
      return inner(0, 1) + " ? " + inner(1, 1) + " : " + inner(2, 0);
    case Expression::Operation::function: {
      std::string list;
      for (const auto& o : node.operands) list += (list.empty() ? "" : ", ") + text_of(o, in_short);
      return node.name + "(" + list + ")";
    }
    case Expression::Operation::curve:
      // Derivatives are for people alone: formulas cannot call them.
      return node.name + std::string(static_cast<std::size_t>(node.first), '\'') + "(" +
             text_of(e.operand(0), in_short) + ")";
    case Expression::Operation::sum:
      return fmt::format("sum_over({}, {}, {}, {})", node.name, node.first, node.last, inner(0, 0));
    default:
      break;
  }
  const int own = strength(node.operation);
  const bool from_right = node.operation == Expression::Operation::raise;
  return inner(0, from_right ? own + 1 : own) + sign_of(node.operation) +
         inner(1, from_right ? own - 1 : own + 1);
}

// a/b where b is a factor of a, or of every term of it.
bool divides(const Expression& a, const Expression& b, Expression& quotient) {
  const bool same_variable = a.operation() == Expression::Operation::variable &&
                             b.operation() == Expression::Operation::variable &&
                             a.node().name == b.node().name;
  if (same_variable) {
    quotient = 1.0;
    return true;
  }
  if (a.is_number(0)) {
    quotient = 0.0;
    return true;
  }
  Expression first, second;
  switch (a.operation()) {
    case Expression::Operation::negate:
      if (!divides(a.operand(0), b, first)) return false;
      quotient = -first;
      return true;
    case Expression::Operation::multiply:
      if (divides(a.operand(0), b, first)) {
        quotient = first * a.operand(1);
        return true;
      }
      if (!divides(a.operand(1), b, second)) return false;
      quotient = a.operand(0) * second;
      return true;
    case Expression::Operation::divide:
      if (!divides(a.operand(0), b, first)) return false;
      quotient = first / a.operand(1);
      return true;
    case Expression::Operation::add:
    case Expression::Operation::subtract:
      if (!divides(a.operand(0), b, first) || !divides(a.operand(1), b, second)) return false;
      quotient = a.operation() == Expression::Operation::add ? first + second : first - second;
      return true;
    case Expression::Operation::raise: {
      const Expression &base = a.operand(0), &exponent = a.operand(1);
      if (!exponent.is_number() || exponent.node().value < 1 || !divides(base, b, first)) return false;
      quotient = first * power(base, exponent.node().value - 1);
      return true;
    }
    default:
      return false;
  }
}

}  // namespace

std::string Expression::text() const {
  return text_of(*this, false);
}

std::string Expression::short_text() const {
  return text_of(*this, true);
}

Expression operator-(const Expression& a) {
  if (a.is_number()) return -a.node().value;
  if (a.operation() == Expression::Operation::negate) return a.operand(0);
  if (a.operation() == Expression::Operation::multiply && a.operand(0).is_number())
    return Expression(-a.operand(0).node().value) * a.operand(1);
  return made(Expression::Operation::negate, {a});
}

Expression operator+(const Expression& a, const Expression& b) {
  if (a.is_number() && b.is_number()) return a.node().value + b.node().value;
  if (a.is_number(0)) return b;
  if (b.is_number(0)) return a;
  if (b.operation() == Expression::Operation::negate) return a - b.operand(0);
  return made(Expression::Operation::add, {a, b});
}

Expression operator-(const Expression& a, const Expression& b) {
  if (a.is_number() && b.is_number()) return a.node().value - b.node().value;
  if (a.is_number(0)) return -b;
  if (b.is_number(0)) return a;
  if (b.operation() == Expression::Operation::negate) return a + b.operand(0);
  return made(Expression::Operation::subtract, {a, b});
}

Expression operator*(const Expression& a, const Expression& b) {
  if (a.is_number() && b.is_number()) return a.node().value * b.node().value;
  if (a.is_number(0) || b.is_number(0)) return 0.0;
  if (a.is_number(1)) return b;
  if (b.is_number(1)) return a;
  if (b.is_number()) return b * a;
  if (a.is_number(-1)) return -b;
  // Numbers in front, as one.
  if (a.is_number() && b.operation() == Expression::Operation::multiply && b.operand(0).is_number())
    return Expression(a.node().value * b.operand(0).node().value) * b.operand(1);
  if (a.operation() == Expression::Operation::negate) return -(a.operand(0) * b);
  if (b.operation() == Expression::Operation::negate) return -(a * b.operand(0));
  if (!a.is_number() && b.operation() == Expression::Operation::multiply && b.operand(0).is_number())
    return b.operand(0) * (a * b.operand(1));
  return made(Expression::Operation::multiply, {a, b});
}

Expression operator/(const Expression& a, const Expression& b) {
  if (a.is_number() && b.is_number() && b.node().value != 0) return a.node().value / b.node().value;
  if (a.is_number(0)) return 0.0;
  if (b.is_number(1)) return a;
  if (b.is_number() && b.node().value != 0 && a.operation() == Expression::Operation::multiply &&
      a.operand(0).is_number())
    return Expression(a.operand(0).node().value / b.node().value) * a.operand(1);
  Expression quotient;
  if (b.operation() == Expression::Operation::variable && divides(a, b, quotient)) return quotient;
  return made(Expression::Operation::divide, {a, b});
}

Expression power(const Expression& a, const Expression& b) {
  if (b.is_number(0)) return 1.0;
  if (b.is_number(1)) return a;
  if (a.is_number() && b.is_number()) return std::pow(a.node().value, b.node().value);
  return made(Expression::Operation::raise, {a, b});
}

Expression substitute(const Expression& e, const std::string& name, const Expression& by) {
  if (e.operation() == Expression::Operation::variable) return e.node().name == name ? by : e;
  if (e.node().operands.empty() || !e.uses(name)) return e;
  Expression::Node node = e.node();
  for (auto& o : node.operands) o = substitute(o, name, by);
  switch (node.operation) {
    case Expression::Operation::negate:
      return -node.operands[0];
    case Expression::Operation::add:
      return node.operands[0] + node.operands[1];
    case Expression::Operation::subtract:
      return node.operands[0] - node.operands[1];
    case Expression::Operation::multiply:
      return node.operands[0] * node.operands[1];
    case Expression::Operation::divide:
      return node.operands[0] / node.operands[1];
    case Expression::Operation::raise:
      return power(node.operands[0], node.operands[1]);
    default:
      node.begin = node.end = 0;
      return Expression(std::move(node));
  }
}

const std::map<std::string, int>& formula_functions() {
  static const std::map<std::string, int> arities = [] {
    std::map<std::string, int> result;
    for (const auto& f : functions_of_formulas()) result[f.name] = f.operands;
    return result;
  }();
  return arities;
}

}  // namespace williwaw::casefile
