#include "casefile/formula/expression_program.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>

#include "casefile/formula/expression_functions.hpp"

namespace williwaw::casefile {

namespace {
constexpr Index block = 256;
}  // namespace

ExpressionProgram::ExpressionProgram(std::vector<std::string> names, const std::vector<Expression>& formulas)
    : names_(std::move(names)) {
  for (const Expression& formula : formulas) results_.push_back(step_of(formula));
  known_.clear();
  place_steps();
}

std::size_t ExpressionProgram::found(const std::string& key, Step step) {
  const auto [at, fresh] = known_.try_emplace(key, steps_.size());
  if (fresh) steps_.push_back(step);
  return at->second;
}

std::size_t ExpressionProgram::arithmetic_of(const ArithmeticLines& operation, const char* sign,
                                             std::size_t a, std::size_t b) {
  Step step{Step::Kind::arithmetic, a, b};
  step.arithmetic = &operation;
  step.single = steps_[a].single && steps_[b].single;
  return found(sign + std::to_string(a) + "," + std::to_string(b), step);
}

std::size_t ExpressionProgram::step_of(const Expression& e) {
  using enum Expression::Operation;
  const auto number_step = [&](Real value) {
    Step step{Step::Kind::number};
    step.number = value;
    step.single = true;
    return found("#" + std::to_string(std::bit_cast<std::uint64_t>(value)), step);
  };
  // Sums, conditions, curves and functions of several are evaluated as they are.
  const auto as_it_is = [&] {
    Step step{Step::Kind::formula};
    step.formula = whole_.size();
    const std::size_t at = found("(" + e.text(), step);
    if (steps_[at].formula == whole_.size()) whole_.push_back(e);
    return at;
  };
  const auto two = [&](const ArithmeticLines& operation, const char* sign) {
    const std::size_t a = step_of(e.operand(0)), b = step_of(e.operand(1));
    return arithmetic_of(operation, sign, a, b);
  };
  switch (e.operation()) {
    case number:
    case constant:
      return number_step(e.node().value);
    case variable: {
      const std::string& name = e.node().name;
      if (const auto at = std::ranges::find(names_, name); at != names_.end())
        return found("u" + name, {Step::Kind::unknown, static_cast<std::size_t>(at - names_.begin())});
      if (name == "t") {
        Step step{Step::Kind::time};
        step.single = true;
        return found("t", step);
      }
      if (name != "x" && name != "r" && name != "y" && name != "z") return as_it_is();
      Step step{Step::Kind::coordinate};
      step.coordinate = name == "r" ? 'x' : name[0];
      return found(std::string("@") + step.coordinate, step);
    }
    case add:
      return two(adding, "+");
    case subtract:
      return two(subtracting, "-");
    case multiply:
      return two(multiplying, "*");
    case divide:
      return two(dividing, "/");
    case negate: {
      Step step{Step::Kind::negate, step_of(e.operand(0))};
      step.single = steps_[step.first].single;
      return found("~" + std::to_string(step.first), step);
    }
    case raise: {
      // Whole exponents by multiplication, as in values of one formula.
      const Expression& exponent = e.operand(1);
      if (exponent.operation() != number && exponent.operation() != constant) return as_it_is();
      const Real power = exponent.node().value;
      if (power != 2 && power != 3 && power != 4) return as_it_is();
      const std::size_t base = step_of(e.operand(0)), square = arithmetic_of(multiplying, "*", base, base);
      return power == 2   ? square
             : power == 3 ? arithmetic_of(multiplying, "*", square, base)
                          : arithmetic_of(multiplying, "*", square, square);
    }
    case function: {
      const FormulaFunction& called = *function_called(e.node().name);
      if (!called.of_one) return as_it_is();
      Step step{Step::Kind::function, step_of(e.operand(0))};
      step.function = called.of_one;
      step.single = steps_[step.first].single;
      return found(called.name + std::to_string(step.first), step);
    }
    default:
      return as_it_is();
  }
}

// Every step that has a value for each place gets a block of numbers until its last reader is done, or writes
// to where the values are wanted.
void ExpressionProgram::place_steps() {
  std::vector<std::size_t> last(steps_.size(), 0);
  for (std::size_t n = 0; n < steps_.size(); ++n) {
    const Step& step = steps_[n];
    if (step.kind == Step::Kind::arithmetic) last[step.second] = n;
    if (step.kind == Step::Kind::arithmetic || step.kind == Step::Kind::negate ||
        step.kind == Step::Kind::function)
      last[step.first] = n;
  }
  const auto stores = [](const Step& step) {
    return !step.single && step.kind != Step::Kind::unknown && step.kind != Step::Kind::coordinate;
  };
  for (std::size_t m = 0; m < results_.size(); ++m)
    if (Step& step = steps_[results_[m]]; stores(step) && step.output == 0) step.output = m + 1;
  std::vector<std::size_t> free;
  for (std::size_t n = 0; n < steps_.size(); ++n) {
    Step& step = steps_[n];
    if (stores(step) && step.output == 0) {
      if (free.empty()) free.push_back(places_++);
      step.place = free.back();
      free.pop_back();
    }
    // What is read for the last time here is free from the next step on: none writes over what it reads.
    for (std::size_t before = 0; before < n; ++before)
      if (last[before] == n && stores(steps_[before]) && steps_[before].output == 0)
        free.push_back(steps_[before].place);
  }
}

Real ExpressionProgram::single_value(const Step& step, std::span<const Real> numbers, Real time) const {
  Real result = step.number;
  switch (step.kind) {
    case Step::Kind::time:
      return time;
    case Step::Kind::arithmetic:
      step.arithmetic->both(1, &numbers[step.first], &numbers[step.second], &result);
      return result;
    case Step::Kind::negate:
      return -numbers[step.first];
    case Step::Kind::function:
      step.function(1, &numbers[step.first], &result);
      return result;
    default:
      return result;
  }
}

void ExpressionProgram::evaluate(const FormulaInputs& inputs, std::span<const std::span<Real>> out) const {
  thread_local std::vector<Real> room, numbers;
  thread_local std::vector<const Real*> values;
  room.resize(std::max(room.size(), places_ * static_cast<std::size_t>(block)));
  numbers.resize(std::max(numbers.size(), steps_.size()));
  values.resize(std::max(values.size(), steps_.size()));
  for (std::size_t n = 0; n < steps_.size(); ++n)
    if (steps_[n].single) numbers[n] = single_value(steps_[n], numbers, inputs.time);
  for (Index begin = 0; begin < inputs.count; begin += block) {
    const Index count = std::min(block, inputs.count - begin);
    for (std::size_t n = 0; n < steps_.size(); ++n) {
      const Step& step = steps_[n];
      if (step.single) continue;
      Real* const to = step.output > 0 ? out[step.output - 1].data() + begin
                                       : room.data() + step.place * static_cast<std::size_t>(block);
      values[n] = to;
      switch (step.kind) {
        case Step::Kind::unknown:
          values[n] = inputs.unknowns[step.first].data() + begin;
          break;
        case Step::Kind::coordinate:
          values[n] = (step.coordinate == 'x'   ? inputs.x
                       : step.coordinate == 'y' ? inputs.y
                                                : inputs.z) +
                      begin;
          break;
        case Step::Kind::arithmetic:
          if (steps_[step.first].single)
            step.arithmetic->number_first(count, numbers[step.first], values[step.second], to);
          else if (steps_[step.second].single)
            step.arithmetic->number_second(count, values[step.first], numbers[step.second], to);
          else
            step.arithmetic->both(count, values[step.first], values[step.second], to);
          break;
        case Step::Kind::negate:
          for (Index i = 0; i < count; ++i) to[i] = -values[step.first][i];
          break;
        case Step::Kind::function:
          step.function(count, values[step.first], to);
          break;
        default: {
          FormulaInputs part = inputs;
          part.count = count;
          for (const Real** line : {&part.x, &part.y, &part.z, &part.u})
            if (*line) *line += begin;
          std::vector<std::span<const Real>> unknowns;
          for (const auto& line : inputs.unknowns)
            unknowns.push_back(line.subspan(static_cast<std::size_t>(begin)));
          part.unknowns = unknowns;
          casefile::evaluate(whole_[step.formula], part, to);
          break;
        }
      }
    }
    for (std::size_t m = 0; m < results_.size(); ++m) {
      const Step& step = steps_[results_[m]];
      Real* const to = out[m].data() + begin;
      if (step.single)
        std::fill(to, to + count, numbers[results_[m]]);
      else if (step.output != m + 1)
        std::copy(values[results_[m]], values[results_[m]] + count, to);
    }
  }
}

}  // namespace williwaw::casefile
