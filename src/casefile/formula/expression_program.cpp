#include "casefile/formula/expression_program.hpp"

#include <algorithm>

#include "williwaw/casefile/curve.hpp"

namespace williwaw::casefile {

namespace {

constexpr Index block = 256;

// Numbers and blocks of each thread: formulas are evaluated at single places too, millions of times where
// outlines are looked for.
struct Room {
  std::vector<Real> blocks, numbers;
  std::vector<const Real*> values;
  static Room& of_this_thread() {
    thread_local Room room;
    return room;
  }
};

const Real* line_of(const FormulaInputs& inputs, char name) {
  return name == 'x' ? inputs.x : name == 'y' ? inputs.y : name == 'z' ? inputs.z : inputs.u;
}

}  // namespace

// One call: first what is one number for all places, then block after block.
struct ExpressionProgram::Run {
  const ExpressionProgram& program;
  const FormulaInputs& inputs;
  std::span<const std::span<Real>> out;
  Real* blocks;
  Real* numbers;        ///< of each step of one number
  const Real** values;  ///< of each step
  Index begin = 0, count = 1;

  void go(std::size_t list) {
    for (const std::size_t n : program.lists_[list]) go(n, program.steps_[n]);
  }

  void go(std::size_t n, const Step& step) {
    using enum Step::Kind;
    Real* const to = step.single       ? numbers + n
                     : step.output > 0 ? out[step.output - 1].data() + begin
                                       : blocks + step.place * static_cast<std::size_t>(block);
    const Index length = step.single ? 1 : count;
    values[n] = to;
    switch (step.kind) {
      case number:
        values[n] = &step.number;
        break;
      case index:
        break;
      case time:
        *to = inputs.time;
        break;
      case line:
        values[n] = line_of(inputs, step.name) + begin;
        break;
      case unknown:
        values[n] = inputs.unknowns[step.operands[0]].data() + begin;
        break;
      case of_one:
        step.one(length, values[step.operands[0]], to);
        break;
      case of_two: {
        const Real *a = values[step.operands[0]], *b = values[step.operands[1]];
        if (is_single(step.operands[1]))
          step.two->number_second(length, a, *b, to);
        else if (is_single(step.operands[0]))
          step.two->number_first(length, *a, b, to);
        else
          step.two->both(length, a, b, to);
        break;
      }
      case curve: {
        const Real* a = values[step.operands[0]];
        for (Index i = 0; i < length; ++i) to[i] = step.curve->at(a[i], static_cast<int>(step.first));
        break;
      }
      case choice:
        choose(step, length, to);
        break;
      case sum:
        add_terms(step, length, to);
        break;
    }
  }

  bool is_single(std::size_t n) const { return program.steps_[n].single; }

  // Where all places agree only that branch is computed.
  void choose(const Step& step, Index length, Real* to) {
    const Real* condition = values[step.operands[0]];
    const Index tested = is_single(step.operands[0]) ? 1 : length, hold = count_true(tested, condition);
    for (std::size_t b = 0; b < 2; ++b)
      if (step.lists[b] > 0 && (b == 0 ? hold > 0 : hold < tested)) go(step.lists[b]);
    if (hold == 0 || hold == tested) {
      const std::size_t only = step.operands[hold > 0 ? 1 : 2];
      if (is_single(only))
        std::fill(to, to + length, *values[only]);
      else
        std::copy(values[only], values[only] + length, to);
      return;
    }
    const std::size_t a = step.operands[1], b = step.operands[2];
    chosen(length, condition, values[a], is_single(a), values[b], is_single(b), to);
  }

  void add_terms(const Step& step, Index length, Real* to) {
    std::fill(to, to + length, 0.0);
    const std::size_t term = step.operands[0];
    values[step.index] = numbers + step.index;
    for (Index k = step.first; k <= step.last; ++k) {
      numbers[step.index] = static_cast<Real>(k);
      go(step.lists[0]);
      const Real* add = values[term];
      if (is_single(term))
        for (Index i = 0; i < length; ++i) to[i] += *add;
      else
        for (Index i = 0; i < length; ++i) to[i] += add[i];
    }
  }
};

void ExpressionProgram::evaluate(const FormulaInputs& inputs, std::span<const std::span<Real>> out) const {
  if (inputs.count == 0) return;
  for (const char name : lines_)
    if (!line_of(inputs, name))
      throw InputError(std::string("a formula of '") + name + "' is evaluated where there is none");
  Room& room = Room::of_this_thread();
  room.blocks.resize(std::max(room.blocks.size(), places_ * static_cast<std::size_t>(block)));
  room.numbers.resize(std::max(room.numbers.size(), steps_.size()));
  room.values.resize(std::max(room.values.size(), steps_.size()));
  Run run{*this, inputs, out, room.blocks.data(), room.numbers.data(), room.values.data()};
  run.go(0);
  for (run.begin = 0; run.begin < inputs.count; run.begin += block) {
    run.count = std::min(block, inputs.count - run.begin);
    run.go(1);
    for (std::size_t m = 0; m < results_.size(); ++m) {
      const Step& step = steps_[results_[m]];
      const Real* const from = run.values[results_[m]];
      Real* const to = out[m].data() + run.begin;
      if (step.single)
        std::fill(to, to + run.count, *from);
      else if (step.output != m + 1)
        std::copy(from, from + run.count, to);
    }
  }
}

void ExpressionProgram::evaluate(const FormulaInputs& inputs, Real* out) const {
  const std::span<Real> line(out, static_cast<std::size_t>(inputs.count));
  evaluate(inputs, {&line, 1});
}

void evaluate(const Expression& expression, const FormulaInputs& inputs, Real* out) {
  // The names of the unknowns, in the order in which the inputs have them.
  const std::vector<std::string> names(inputs.names.begin(), inputs.names.end());
  ExpressionProgram(names, {expression}).evaluate(inputs, out);
}

Real value_of(const Expression& expression) {
  FormulaInputs inputs;
  inputs.count = 1;
  Real value = 0;
  evaluate(expression, inputs, &value);
  return value;
}

}  // namespace williwaw::casefile
