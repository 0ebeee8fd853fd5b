// Formulas as expression trees. A formula is parsed once; its values, derivatives and dimensions are all read
// from the same tree.
//
// Invariants: nodes never change after they are made, so that trees share them and threads read them at the
// same time; a function node has as many operands as its function takes.
#pragma once

#include <map>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

/// Names with fixed values that formulas may use.
using Constants = std::map<std::string, Real>;

class Curve;
/// Curves that formulas may call, by name.
using Curves = std::map<std::string, std::shared_ptr<const Curve>>;

/// One node and all below it. Copies share their nodes.
class Expression {
 public:
  enum class Operation {
    number,
    constant,  ///< a named number
    variable,  ///< x, y, z, r, t, u, or the index of a sum
    negate,
    add,
    subtract,
    multiply,
    divide,
    raise,
    less,
    less_equal,
    greater,
    greater_equal,
    equal,
    not_equal,
    both,
    either,
    select,    ///< condition ? second : third
    function,  ///< by `name`
    curve,     ///< the derivative of order `first` of a curve at the only operand
    sum        ///< over the index `name`, from `first` to `last`, of the only operand
  };
  struct Node {
    Operation operation = Operation::number;
    Real value = 0;    ///< of a number or a constant
    std::string name;  ///< of a constant, a variable, a function or a sum's index
    std::vector<Expression> operands;
    Index first = 0, last = 0;  ///< of a sum
    std::size_t begin = 0,
                end = 0;  ///< its characters in the text it was read from; both 0 if made otherwise
    std::shared_ptr<const Curve> curve = nullptr;
  };

  Expression(Real number = 0);
  explicit Expression(Node node);
  static Expression constant(const std::string& name, Real value);
  static Expression variable(const std::string& name);
  static Expression call(const std::string& function, std::vector<Expression> operands);

  const Node& node() const { return *node_; }
  Operation operation() const { return node_->operation; }
  const Expression& operand(std::size_t n) const { return node_->operands[n]; }
  bool is_number() const { return operation() == Operation::number; }
  bool is_number(Real value) const { return is_number() && node_->value == value; }
  /// True if the variable (or constant) of that name occurs anywhere.
  bool uses(const std::string& name) const;
  /// Written as a formula that `parse_expression` reads, with constants as numbers and every digit.
  std::string text() const;
  /// The same for people: six digits a number.
  std::string short_text() const;

 private:
  std::shared_ptr<const Node> node_;
};

// Arithmetic that folds numbers and drops neutral and zero terms; nothing else is simplified.
Expression operator-(const Expression& a);
Expression operator+(const Expression& a, const Expression& b);
Expression operator-(const Expression& a, const Expression& b);
Expression operator*(const Expression& a, const Expression& b);
/// A factor `b` of `a` is cancelled where it shows.
Expression operator/(const Expression& a, const Expression& b);
Expression power(const Expression& a, const Expression& b);

/// Parses a formula over constants and variables. Operators: ?: || && == != < <= > >= + - * / ^ (and a sign),
/// with their usual precedence, ^ from the right and above a sign. Throws InputError that says what is wrong
/// and where.
Expression parse_expression(const std::string& text, const Constants& constants,
                            const std::vector<std::string>& variables, const Curves& curves = {});

/// ∂expression/∂variable. Where a condition decides, the derivative of the branch that holds. Throws
/// InputError for functions that jump (floor, ceil, rint, sign, mod).
Expression derivative(const Expression& expression, const std::string& variable);

/// Every occurrence of the variable replaced.
Expression substitute(const Expression& expression, const std::string& variable, const Expression& by);

/// What variables take their values from. Coordinates and u have one entry for each place, or are null where
/// the formula does not use them; x serves r too.
struct FormulaInputs {
  const Real* x = nullptr;
  const Real* y = nullptr;
  const Real* z = nullptr;
  const Real* u = nullptr;
  Real time = 0;
  Index count = 0;
  /// Several unknowns by their names, and the values of each.
  std::span<const std::string> names = {};
  std::span<const std::span<const Real>> unknowns = {};
};

/// Writes `inputs.count` values to `out`, which overlaps no input. Each value is independent of the count and
/// of its position; threads may evaluate the same expression at once.
void evaluate(const Expression& expression, const FormulaInputs& inputs, Real* out);
/// Of an expression without variables.
Real value_of(const Expression& expression);

/// Every function of formulas, with the number of its operands (0: one or more).
const std::map<std::string, int>& formula_functions();

}  // namespace williwaw::casefile
