// Formulas as a list of steps over blocks of places: what they have in common is computed once for all of
// them, what is one number for all places once a call, and of a condition that is the same in all of a block
// only the branch that holds.
//
// Invariants: a step's operands come before it, in its own list or in one around it; steps of one number for
// all places read none that have one each.
#pragma once

#include "casefile/formula/arithmetic_lines.hpp"
#include "casefile/formula/function_lines.hpp"
#include "williwaw/casefile/expression.hpp"

namespace williwaw::casefile {

class ExpressionProgram {
 public:
  /// `names` are those of the unknowns that the formulas may use, in the order in which `evaluate` gets them.
  ExpressionProgram(const std::vector<std::string>& names, const std::vector<Expression>& formulas);
  /// Of one formula in coordinates, t and u.
  explicit ExpressionProgram(const Expression& formula) : ExpressionProgram({}, {formula}) {}

  /// Writes `inputs.count` values of each formula; what a formula gives does not depend on the others. No
  /// line of `out` overlaps another one or an input. Threads may evaluate the same program at once. Throws
  /// InputError if a line of coordinates or of u is missing that a formula uses.
  void evaluate(const FormulaInputs& inputs, std::span<const std::span<Real>> out) const;
  void evaluate(const FormulaInputs& inputs, Real* out) const;

 private:
  struct Step {
    enum class Kind { number, time, index, line, unknown, of_one, of_two, curve, choice, sum };
    Kind kind;
    /// Steps that are its operands; of a choice the condition and both branches; of an unknown its number.
    std::array<std::size_t, 3> operands{};
    Real number = 0;
    char name = 'x';  ///< of a line: x, y, z or u
    FunctionLine one = nullptr;
    const LinesOfTwo* two = nullptr;
    std::shared_ptr<const Curve> curve = nullptr;
    Index first = 0, last = 0;  ///< of a sum; of a curve the order of the derivative
    /// The list of each branch of a choice, the list of a sum's terms; 0: none.
    std::array<std::size_t, 2> lists{};
    std::size_t index = 0;   ///< of a sum, its step
    bool single = false;     ///< one number for all places
    std::size_t place = 0;   ///< its block of numbers, of steps that have one
    std::size_t output = 0;  ///< 1 + the line that it writes itself; 0: none
  };
  struct Run;
  class Compiler;
  class Placing;

  std::size_t operands_of(const Step& step) const;

  std::vector<Step> steps_;
  /// Steps in their order: of one number, once a call; over each block; then those of branches and sums.
  std::vector<std::vector<std::size_t>> lists_{2};
  std::vector<std::size_t> results_;  ///< the step of each formula
  std::size_t places_ = 0;
  std::string lines_;  ///< which of x, y, z and u are read
};

}  // namespace williwaw::casefile
