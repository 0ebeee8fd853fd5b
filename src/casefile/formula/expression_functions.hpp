// The functions of formulas: one entry each for its values, its derivative and what dimensions it takes.
#pragma once

#include <functional>

#include "casefile/formula/arithmetic_lines.hpp"
#include "casefile/formula/function_lines.hpp"
#include "williwaw/casefile/expression.hpp"

namespace williwaw::casefile {

struct FormulaFunction {
  /// What a function makes of dimensions.
  enum class Dimensions {
    pure,      ///< takes pure numbers, gives one
    kept,      ///< gives the dimension that all its operands have
    root,      ///< half the exponents
    dropped,   ///< takes any dimension, the same for all operands, gives a pure number
    remainder  ///< as kept; a whole part of a quotient
  };
  std::string name;
  int operands;  ///< 0: one or more
  Dimensions dimensions;
  FunctionLine of_one;       ///< of a function of one operand
  const LinesOfTwo* of_two;  ///< of two, or folded over more
  /// The derivative by each operand, times that of the operand, summed; null: it has none.
  std::function<Expression(const std::vector<Expression>&, const std::vector<Expression>&)> derivative;
};

const std::vector<FormulaFunction>& functions_of_formulas();
/// Null if there is none.
const FormulaFunction* function_called(const std::string& name);

}  // namespace williwaw::casefile
