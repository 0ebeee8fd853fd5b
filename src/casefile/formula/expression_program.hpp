// Several formulas as one list of steps: what they have in common is computed once for all of them.
//
// Invariants: a step's operands come before it; steps of one number for all places read none that have one
// each.
#pragma once

#include "casefile/formula/arithmetic_lines.hpp"
#include "casefile/formula/function_lines.hpp"
#include "williwaw/casefile/expression.hpp"

namespace williwaw::casefile {

class ExpressionProgram {
 public:
  /// `names` are those of the unknowns that the formulas may use, in the order in which `evaluate` gets them.
  ExpressionProgram(std::vector<std::string> names, const std::vector<Expression>& formulas);

  /// Writes `inputs.count` values of each formula, the same as `evaluate` of each by itself to the last bit.
  /// No line of `out` overlaps another one or an input. Threads may evaluate the same program at once.
  void evaluate(const FormulaInputs& inputs, std::span<const std::span<Real>> out) const;

 private:
  struct Step {
    enum class Kind { number, time, coordinate, unknown, arithmetic, negate, function, formula };
    Kind kind;
    std::size_t first = 0, second = 0;  ///< steps that are its operands; of an unknown its number
    Real number = 0;
    char coordinate = 'x';
    const ArithmeticLines* arithmetic = nullptr;
    FunctionLine function = nullptr;
    std::size_t formula = 0;  ///< among those that are evaluated as they are
    bool single = false;      ///< one number for all places
    std::size_t place = 0;    ///< its block of numbers, of steps that have one
    std::size_t output = 0;   ///< 1 + the line that it writes itself; 0: none
  };
  std::size_t step_of(const Expression& e);
  std::size_t found(const std::string& key, Step step);
  std::size_t arithmetic_of(const ArithmeticLines& operation, const char* sign, std::size_t a, std::size_t b);
  void place_steps();
  Real single_value(const Step& step, std::span<const Real> numbers, Real time) const;

  std::vector<std::string> names_;
  std::vector<Step> steps_;
  std::vector<Expression> whole_;
  std::vector<std::size_t> results_;  ///< the step of each formula
  std::size_t places_ = 0;
  std::map<std::string, std::size_t> known_;  ///< steps by what they do
};

}  // namespace williwaw::casefile
