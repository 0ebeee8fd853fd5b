// Values of expressions, block by block: every operation runs over a block of places before the next one
// does.
#include <algorithm>
#include <cmath>
#include <utility>

#include "casefile/formula/arithmetic_lines.hpp"
#include "casefile/formula/expression_functions.hpp"
#include "williwaw/casefile/curve.hpp"

namespace williwaw::casefile {

namespace {

constexpr Index block = 256;

// The value of a node over a block: one number for all places, or one each.
struct Operand {
  const Real* values;
  bool single;
  Real operator[](Index i) const { return values[single ? 0 : i]; }
};

// Blocks of numbers, handed out and taken back as on a stack. Each thread keeps its own: formulas are
// evaluated at single places too, millions of times where outlines are looked for.
class Registers {
 public:
  static Registers& of_this_thread() {
    thread_local Registers registers;
    return registers;
  }
  Real* take() {
    if (used_ == blocks_.size()) blocks_.emplace_back(new Real[block]);
    return blocks_[used_++].get();
  }
  std::size_t mark() const { return used_; }
  void release(std::size_t mark) { used_ = mark; }

 private:
  std::vector<std::unique_ptr<Real[]>> blocks_;
  std::size_t used_ = 0;
};

struct IndexValue {
  const std::string* name;
  Real value;
};

class Evaluation {
 public:
  explicit Evaluation(const FormulaInputs& inputs)
      : inputs_(inputs), registers_(Registers::of_this_thread()), bottom_(registers_.mark()) {}
  ~Evaluation() { registers_.release(bottom_); }
  Evaluation(const Evaluation&) = delete;
  Evaluation& operator=(const Evaluation&) = delete;

  void go(const Expression& e, Real* out) {
    for (begin_ = 0; begin_ < inputs_.count; begin_ += block) {
      count_ = std::min(block, inputs_.count - begin_);
      registers_.release(bottom_);
      target_ = out + begin_;
      const Operand result = of(e);
      if (result.values == out + begin_) continue;
      if (result.single)
        std::fill(out + begin_, out + begin_ + count_, result.values[0]);
      else
        std::copy(result.values, result.values + count_, out + begin_);
    }
  }

 private:
  Operand one(Real value) {
    Real* r = registers_.take();
    r[0] = value;
    return {r, true};
  }

  Operand variable_of(const std::string& name) {
    for (std::size_t i = indices_.size(); i-- > 0;)
      if (*indices_[i].name == name) return one(indices_[i].value);
    for (std::size_t n = 0; n < inputs_.names.size(); ++n)
      if (inputs_.names[n] == name) return {inputs_.unknowns[n].data() + begin_, false};
    if (name == "t") return one(inputs_.time);
    const Real* from = name == "x" || name == "r" ? inputs_.x
                       : name == "y"              ? inputs_.y
                       : name == "z"              ? inputs_.z
                       : name == "u"              ? inputs_.u
                                                  : nullptr;
    if (!from) throw InputError("a formula of '" + name + "' is evaluated where there is none");
    return {from + begin_, false};
  }

  template <class F>
  Operand unary(const Operand& a, F f) {
    Real* r = registers_.take();
    const Index n = a.single ? 1 : count_;
    for (Index i = 0; i < n; ++i) r[i] = f(a.values[i]);
    return {r, a.single};
  }

  template <class F>
  Operand binary(const Operand& a, const Operand& b, F f) {
    Real* r = registers_.take();
    if (a.single && b.single) {
      r[0] = f(a.values[0], b.values[0]);
    } else if (a.single) {
      const Real v = a.values[0];
      for (Index i = 0; i < count_; ++i) r[i] = f(v, b.values[i]);
    } else if (b.single) {
      const Real v = b.values[0];
      for (Index i = 0; i < count_; ++i) r[i] = f(a.values[i], v);
    } else {
      for (Index i = 0; i < count_; ++i) r[i] = f(a.values[i], b.values[i]);
    }
    return {r, a.single && b.single};
  }

  // Into `target` where one is given and there is a value for each place.
  Operand by(const ArithmeticLines& operation, const Operand& a, const Operand& b, Real* target = nullptr) {
    Real* const r = target && !(a.single && b.single) ? target : registers_.take();
    if (a.single && b.single)
      operation.both(1, a.values, b.values, r);
    else if (a.single)
      operation.number_first(count_, a.values[0], b.values, r);
    else if (b.single)
      operation.number_second(count_, a.values, b.values[0], r);
    else
      operation.both(count_, a.values, b.values, r);
    return {r, a.single && b.single};
  }

  // Whole exponents by multiplication: as exact, and many times as fast.
  Operand power_of(const Operand& a, const Operand& b) {
    if (b.single) {
      if (b.values[0] == 2) return by(multiplying, a, a);
      if (b.values[0] == 3) return by(multiplying, by(multiplying, a, a), a);
      if (b.values[0] == 4) {
        const Operand square = by(multiplying, a, a);
        return by(multiplying, square, square);
      }
      if (b.values[0] == -1) return unary(a, [](Real v) { return 1 / v; });
    }
    Real* const r = registers_.take();
    if (a.single && b.single)
      raising.both(1, a.values, b.values, r);
    else if (a.single)
      raising.number_first(count_, a.values[0], b.values, r);
    else if (b.single)
      raising.number_second(count_, a.values, b.values[0], r);
    else
      raising.both(count_, a.values, b.values, r);
    return {r, a.single && b.single};
  }

  Operand function_of(const Expression& e) {
    const FormulaFunction& f = *function_called(e.node().name);
    Operand result = of(e.operand(0));
    if (f.of_one) {
      Real* const r = registers_.take();
      f.of_one(result.single ? 1 : count_, result.values, r);
      return {r, result.single};
    }
    for (std::size_t n = 1; n < e.node().operands.size(); ++n)
      result = binary(result, of(e.operand(n)), f.of_two);
    if (f.name == "avg") {
      const Real count = static_cast<Real>(e.node().operands.size());
      return unary(result, [count](Real v) { return v / count; });
    }
    return result;
  }

  Operand select_of(const Expression& e) {
    const Operand condition = of(e.operand(0));
    if (condition.single) return of(e.operand(condition.values[0] != 0 ? 1 : 2));
    const Operand first = of(e.operand(1)), second = of(e.operand(2));
    Real* r = registers_.take();
    for (Index i = 0; i < count_; ++i) r[i] = condition.values[i] != 0 ? first[i] : second[i];
    return {r, false};
  }

  Operand sum_of(const Expression& e) {
    Real* r = registers_.take();
    std::fill(r, r + count_, 0.0);
    const std::size_t mark = registers_.mark();
    indices_.push_back({&e.node().name, 0});
    bool single = true;
    for (Index n = e.node().first; n <= e.node().last; ++n) {
      indices_.back().value = static_cast<Real>(n);
      const Operand term = of(e.operand(0));
      single = single && term.single;
      for (Index i = 0; i < count_; ++i) r[i] += term[i];
      registers_.release(mark);
    }
    indices_.pop_back();
    return {r, single};
  }

  Operand of(const Expression& e) {
    const auto two = [&](auto f) {
      const Operand a = of(e.operand(0)), b = of(e.operand(1));
      return binary(a, b, f);
    };
    // The last operation of all writes to where the values are wanted.
    Real* const target = std::exchange(target_, nullptr);
    const auto arithmetic = [&](const ArithmeticLines& operation) {
      const Operand a = of(e.operand(0)), b = of(e.operand(1));
      return by(operation, a, b, target);
    };
    switch (e.operation()) {
      case Expression::Operation::number:
      case Expression::Operation::constant:
        return {&e.node().value, true};
      case Expression::Operation::variable:
        return variable_of(e.node().name);
      case Expression::Operation::negate:
        return unary(of(e.operand(0)), [](Real v) { return -v; });
      case Expression::Operation::add:
        return arithmetic(adding);
      case Expression::Operation::subtract:
        return arithmetic(subtracting);
      case Expression::Operation::multiply:
        return arithmetic(multiplying);
      case Expression::Operation::divide:
        return arithmetic(dividing);
      case Expression::Operation::raise: {
        const Operand a = of(e.operand(0)), b = of(e.operand(1));
        return power_of(a, b);
      }
      case Expression::Operation::less:
        return two([](Real a, Real b) { return a < b ? 1.0 : 0.0; });
      case Expression::Operation::less_equal:
        return two([](Real a, Real b) { return a <= b ? 1.0 : 0.0; });
      case Expression::Operation::greater:
        return two([](Real a, Real b) { return a > b ? 1.0 : 0.0; });
      case Expression::Operation::greater_equal:
        return two([](Real a, Real b) { return a >= b ? 1.0 : 0.0; });
      case Expression::Operation::equal:
        return two([](Real a, Real b) { return a == b ? 1.0 : 0.0; });
      case Expression::Operation::not_equal:
        return two([](Real a, Real b) { return a != b ? 1.0 : 0.0; });
      case Expression::Operation::both:
        return two([](Real a, Real b) { return a != 0 && b != 0 ? 1.0 : 0.0; });
      case Expression::Operation::either:
        return two([](Real a, Real b) { return a != 0 || b != 0 ? 1.0 : 0.0; });
      case Expression::Operation::select:
        return select_of(e);
      case Expression::Operation::function:
        return function_of(e);
      case Expression::Operation::curve: {
        const Curve& curve = *e.node().curve;
        const int order = static_cast<int>(e.node().first);
        return unary(of(e.operand(0)), [&](Real v) { return curve.at(v, order); });
      }
      case Expression::Operation::sum:
        return sum_of(e);
    }
    throw std::logic_error("an operation has no values");
  }

  const FormulaInputs& inputs_;
  Registers& registers_;
  std::size_t bottom_;  ///< of the registers that others hold
  std::vector<IndexValue> indices_;
  Index begin_ = 0, count_ = 0;
  Real* target_ = nullptr;
};

}  // namespace

void evaluate(const Expression& expression, const FormulaInputs& inputs, Real* out) {
  Evaluation(inputs).go(expression, out);
}

Real value_of(const Expression& expression) {
  FormulaInputs inputs;
  inputs.count = 1;
  Real value = 0;
  evaluate(expression, inputs, &value);
  return value;
}

}  // namespace williwaw::casefile
