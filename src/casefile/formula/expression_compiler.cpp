// From expression trees to a list of steps.
#include <algorithm>
#include <bit>
#include <bitset>
#include <cstdint>
#include <optional>
#include <unordered_map>

#include "casefile/formula/expression_functions.hpp"
#include "casefile/formula/expression_program.hpp"

namespace williwaw::casefile {

// Lists are open from the outermost one to the one that is written. A step is written to the outermost list
// where it still is computed no more often than needed: out of sums whose index it does not read, but not out
// of a branch, unless it is one number for all places.
class ExpressionProgram::Compiler {
 public:
  Compiler(ExpressionProgram& program, const std::vector<std::string>& names)
      : program_(program), names_(names), open_(1) {}

  // Trees share their nodes: derivatives of long formulas would be gone through many times over.
  std::size_t step_of(const Expression& e) {
    if (e.node().operands.empty()) return made_of(e);
    const std::size_t sum = innermost_index();
    if (const auto at = of_node_.find(&e.node()); at != of_node_.end() && at->second.second == sum)
      return at->second.first;
    const std::size_t result = made_of(e);
    of_node_[&e.node()] = {result, sum};
    open_.back().nodes.push_back(&e.node());
    return result;
  }

 private:
  std::size_t made_of(const Expression& e) {
    using enum Expression::Operation;
    switch (e.operation()) {
      case number:
      case constant:
        return number_step(e.node().value);
      case variable:
        return variable_step(e.node().name);
      case negate:
        return of_one(negated, step_of(e.operand(0)));
      case add:
        return of_two(lines_of_two::add, e);
      case subtract:
        return of_two(lines_of_two::subtract, e);
      case multiply:
        return of_two(lines_of_two::multiply, e);
      case divide:
        return of_two(lines_of_two::divide, e);
      case raise:
        return power_step(step_of(e.operand(0)), step_of(e.operand(1)));
      case less:
        return of_two(lines_of_two::less, e);
      case less_equal:
        return of_two(lines_of_two::less_equal, e);
      case greater:
        return of_two(lines_of_two::greater, e);
      case greater_equal:
        return of_two(lines_of_two::greater_equal, e);
      case equal:
        return of_two(lines_of_two::equal, e);
      case not_equal:
        return of_two(lines_of_two::not_equal, e);
      case both:
        return of_two(lines_of_two::both, e);
      case either:
        return of_two(lines_of_two::either, e);
      case select:
        return choice_step(e);
      case function:
        return function_step(e);
      case curve: {
        Step step{Step::Kind::curve, {step_of(e.operand(0))}};
        step.curve = e.node().curve;
        step.first = e.node().first;
        return placed(std::move(step));
      }
      case sum:
        return sum_step(e);
    }
    throw std::logic_error("an operation has no step");
  }

  // Sums around a step whose indices it reads, by their number among those that are open.
  using Reads = std::bitset<256>;
  struct Open {
    std::size_t list = 1;
    std::optional<std::size_t> sum = {};  ///< its number, of the terms of a sum; none of a branch
    std::string index = {};
    std::size_t index_step = 0;
    std::map<std::string, std::size_t> known = {};    ///< steps by what they do
    std::vector<const Expression::Node*> nodes = {};  ///< whose steps are forgotten with it
  };

  const Step& step(std::size_t n) const { return program_.steps_[n]; }

  std::optional<std::size_t> found(const std::string& key) const {
    for (std::size_t n = open_.size(); n-- > 0;)
      if (const auto at = open_[n].known.find(key); at != open_[n].known.end()) return at->second;
    return std::nullopt;
  }

  // What follows from the operands of a step.
  Reads reads_of(Step& made) const {
    Reads reads;
    const std::size_t count = program_.operands_of(made);
    if (count > 0) made.single = true;
    for (std::size_t n = 0; n < count; ++n) {
      made.single = made.single && step(made.operands[n]).single;
      reads |= reads_[made.operands[n]];
    }
    return reads;
  }

  // The step that does the same with the same operands.
  std::size_t placed(Step made) {
    std::string key;
    for (const std::uint64_t part :
         {static_cast<std::uint64_t>(made.kind), std::bit_cast<std::uint64_t>(made.number),
          static_cast<std::uint64_t>(made.name), static_cast<std::uint64_t>(made.first),
          std::uint64_t{std::bit_cast<std::uintptr_t>(made.one)},
          std::uint64_t{std::bit_cast<std::uintptr_t>(made.two)},
          std::uint64_t{std::bit_cast<std::uintptr_t>(made.curve.get())}, std::uint64_t{made.operands[0]},
          std::uint64_t{made.operands[1]}, std::uint64_t{made.operands[2]}})
      key += std::to_string(part) + " ";
    const Reads reads = reads_of(made);
    return placed(key, std::move(made), reads);
  }

  std::size_t placed(const std::string& key, Step made, const Reads& reads) {
    if (const auto known = found(key)) return *known;
    std::size_t to = open_.size() - 1;
    while (to > 0 && (open_[to].sum ? !reads[*open_[to].sum] : made.single)) --to;
    const std::size_t at = program_.steps_.size();
    program_.lists_[to == 0 && made.single ? 0 : open_[to].list].push_back(at);
    program_.steps_.push_back(std::move(made));
    reads_.push_back(reads);
    open_[to].known[key] = at;
    return at;
  }

  std::size_t number_step(Real value) {
    Step made{Step::Kind::number};
    made.number = value;
    made.single = true;
    return placed(std::move(made));
  }

  std::size_t variable_step(const std::string& name) {
    for (std::size_t n = open_.size(); n-- > 0;)
      if (open_[n].sum && open_[n].index == name) return open_[n].index_step;
    if (const auto at = std::ranges::find(names_, name); at != names_.end())
      return placed({Step::Kind::unknown, {static_cast<std::size_t>(at - names_.begin())}});
    if (name == "t") {
      Step made{Step::Kind::time};
      made.single = true;
      return placed(std::move(made));
    }
    Step made{Step::Kind::line};
    made.name = name == "r" ? 'x' : name[0];
    if (name.size() != 1 || std::string("xyzu").find(made.name) == std::string::npos)
      throw InputError("a formula of '" + name + "' is evaluated where there is none");
    if (program_.lines_.find(made.name) == std::string::npos) program_.lines_ += made.name;
    return placed(std::move(made));
  }

  std::size_t of_one(FunctionLine function, std::size_t a) {
    if (step(a).kind == Step::Kind::number) {
      Real value = 0;
      function(1, &step(a).number, &value);
      return number_step(value);
    }
    Step made{Step::Kind::of_one, {a}};
    made.one = function;
    return placed(std::move(made));
  }

  std::size_t of_two(const LinesOfTwo& operation, std::size_t a, std::size_t b) {
    if (step(a).kind == Step::Kind::number && step(b).kind == Step::Kind::number) {
      Real value = 0;
      operation.number_second(1, &step(a).number, step(b).number, &value);
      return number_step(value);
    }
    Step made{Step::Kind::of_two, {a, b}};
    made.two = &operation;
    return placed(std::move(made));
  }

  std::size_t of_two(const LinesOfTwo& operation, const Expression& e) {
    const std::size_t a = step_of(e.operand(0)), b = step_of(e.operand(1));
    return of_two(operation, a, b);
  }

  // Small whole exponents by multiplication, as `raising` does it, so that powers share their squares.
  std::size_t power_step(std::size_t base, std::size_t exponent) {
    const Step& by = step(exponent);
    const Real power = by.kind == Step::Kind::number ? by.number : 0;
    const auto times = [&](std::size_t a, std::size_t b) { return of_two(lines_of_two::multiply, a, b); };
    if (power == 2) return times(base, base);
    if (power == 3) return times(times(base, base), base);
    if (power == 4) return times(times(base, base), times(base, base));
    return of_two(raising, base, exponent);
  }

  std::size_t function_step(const Expression& e) {
    const FormulaFunction& called = *function_called(e.node().name);
    std::size_t result = step_of(e.operand(0));
    if (called.of_one) return of_one(called.of_one, result);
    for (std::size_t n = 1; n < e.node().operands.size(); ++n)
      result = of_two(*called.of_two, result, step_of(e.operand(n)));
    if (called.name == "avg")
      return of_two(lines_of_two::divide, result, number_step(static_cast<Real>(e.node().operands.size())));
    return result;
  }

  // What `write` puts into a list of its own.
  template <class Write>
  std::size_t list_of(Open open, Write write) {
    const std::size_t list = open.list = program_.lists_.size();
    program_.lists_.emplace_back();
    open_.push_back(std::move(open));
    write();
    for (const auto* node : open_.back().nodes) of_node_.erase(node);
    open_.pop_back();
    return list;
  }

  // Of the innermost sum that is open; 0: none.
  std::size_t innermost_index() const {
    for (std::size_t n = open_.size(); n-- > 0;)
      if (open_[n].sum) return open_[n].index_step + 1;
    return 0;
  }

  // 128 bits that tell expressions from each other, without their places in a text.
  using Print = std::array<std::uint64_t, 2>;
  Print print_of(const Expression& e) {
    const Expression::Node& node = e.node();
    if (const auto at = prints_.find(&node); at != prints_.end()) return at->second;
    Print print{0x9e3779b97f4a7c15u, 0xc2b2ae3d27d4eb4fu};
    const auto add = [&](std::uint64_t bits) {
      print[0] = (print[0] ^ bits) * 0xff51afd7ed558ccdu;
      print[0] ^= print[0] >> 32;
      print[1] = (print[1] + bits) * 0xc4ceb9fe1a85ec53u;
      print[1] ^= print[1] >> 29;
    };
    add(static_cast<std::uint64_t>(node.operation));
    add(std::bit_cast<std::uint64_t>(node.value));
    add(static_cast<std::uint64_t>(node.first));
    add(static_cast<std::uint64_t>(node.last));
    add(std::bit_cast<std::uintptr_t>(node.curve.get()));
    for (const char c : node.name) add(static_cast<unsigned char>(c));
    for (const Expression& operand : node.operands)
      for (const std::uint64_t bits : print_of(operand)) add(bits);
    return prints_[&node] = print;
  }

  // What is written in lists of its own is known by all of its expression, in the same sums: their indices
  // have values of their own, whatever their names.
  std::string key_of(const Expression& e) {
    std::string result = "whole";
    for (const std::uint64_t bits : print_of(e)) result += " " + std::to_string(bits);
    for (const Open& open : open_)
      if (open.sum) result += " " + std::to_string(open.index_step);
    return result;
  }

  std::size_t choice_step(const Expression& e) {
    const std::string key = key_of(e);
    if (const auto known = found(key)) return *known;
    const std::size_t condition = step_of(e.operand(0));
    if (step(condition).kind == Step::Kind::number)
      return step_of(e.operand(step(condition).number != 0 ? 1 : 2));
    Step made{Step::Kind::choice, {condition}};
    for (std::size_t n = 0; n < 2; ++n)
      made.lists[n] = list_of({}, [&] { made.operands[n + 1] = step_of(e.operand(n + 1)); });
    const Reads reads = reads_of(made);
    return placed(key, std::move(made), reads);
  }

  std::size_t sum_step(const Expression& e) {
    const std::string key = key_of(e);
    if (const auto known = found(key)) return *known;
    Step made{Step::Kind::sum};
    made.first = e.node().first;
    made.last = e.node().last;
    const auto number = static_cast<std::size_t>(
        std::ranges::count_if(open_, [](const Open& open) { return open.sum.has_value(); }));
    if (number >= Reads().size()) throw InputError("a formula has sums that are nested too deeply");
    Step index{Step::Kind::index};
    index.single = true;
    made.index = program_.steps_.size();
    program_.steps_.push_back(std::move(index));
    reads_.emplace_back().set(number);
    Open terms;
    terms.sum = number;
    terms.index = e.node().name;
    terms.index_step = made.index;
    made.lists[0] = list_of(std::move(terms), [&] { made.operands[0] = step_of(e.operand(0)); });
    Reads reads = reads_of(made);
    reads.reset(number);
    return placed(key, std::move(made), reads);
  }

  ExpressionProgram& program_;
  const std::vector<std::string>& names_;
  std::vector<Open> open_;
  std::vector<Reads> reads_;  ///< of each step
  /// Steps of nodes in lists that are open, and the sum in which they were written.
  std::unordered_map<const Expression::Node*, std::pair<std::size_t, std::size_t>> of_node_;
  std::unordered_map<const Expression::Node*, Print> prints_;
};

// Every step that has a value for each place gets a block of numbers until its last reader is done, or writes
// to where the values are wanted.
class ExpressionProgram::Placing {
 public:
  explicit Placing(ExpressionProgram& program)
      : program_(program), made_(program.steps_.size()), last_(program.steps_.size()) {}

  void place() {
    for (std::size_t m = 0; m < program_.results_.size(); ++m)
      if (Step& step = program_.steps_[program_.results_[m]]; stores(step) && step.output == 0)
        step.output = m + 1;
    look(1);
    ends_.resize(now_ + 1);
    for (std::size_t n = 0; n < program_.steps_.size(); ++n)
      if (needs_place(program_.steps_[n])) ends_[last_[n]].push_back(n);
    now_ = 0;
    give(1);
  }

 private:
  static bool stores(const Step& step) {
    return !step.single && step.kind != Step::Kind::unknown && step.kind != Step::Kind::line;
  }
  static bool needs_place(const Step& step) { return stores(step) && step.output == 0; }

  void read(std::size_t n) { last_[n] = std::max(last_[n], now_); }

  // Counts steps in the order in which they are done, and finds the last reader of each.
  void look(std::size_t list) {
    for (const std::size_t n : program_.lists_[list]) {
      const Step& step = program_.steps_[n];
      if (step.kind == Step::Kind::sum) {
        // Its terms are added to it: it is there before the first one. What they read from outside is read
        // until the last one.
        made_[n] = last_[n] = ++now_;
        const std::size_t begin = now_;
        look(step.lists[0]);
        ++now_;
        read_operands(step);
        for (std::size_t m = 0; m < last_.size(); ++m)
          if (made_[m] > 0 && made_[m] <= begin && last_[m] >= begin) last_[m] = now_;
        continue;
      }
      for (const std::size_t branch : step.lists)
        if (branch > 0) look(branch);
      made_[n] = last_[n] = ++now_;
      read_operands(step);
    }
  }

  void read_operands(const Step& step) {
    for (std::size_t o = 0; o < program_.operands_of(step); ++o) read(step.operands[o]);
  }

  void give(std::size_t list) {
    for (const std::size_t n : program_.lists_[list]) {
      Step& step = program_.steps_[n];
      if (step.kind == Step::Kind::sum) {
        next(&step);
        give(step.lists[0]);
        next(nullptr);
        continue;
      }
      for (const std::size_t branch : step.lists)
        if (branch > 0) give(branch);
      next(&step);
    }
  }

  // What is read for the last time now is free from the next step on: none writes over what it reads.
  void next(Step* step) {
    ++now_;
    if (step && needs_place(*step)) {
      if (free_.empty()) free_.push_back(program_.places_++);
      step->place = free_.back();
      free_.pop_back();
    }
    for (const std::size_t n : ends_[now_]) free_.push_back(program_.steps_[n].place);
  }

  ExpressionProgram& program_;
  std::size_t now_ = 0;
  std::vector<std::size_t> made_, last_;  ///< of each step
  std::vector<std::vector<std::size_t>> ends_;
  std::vector<std::size_t> free_;
};

std::size_t ExpressionProgram::operands_of(const Step& step) const {
  switch (step.kind) {
    case Step::Kind::of_one:
    case Step::Kind::curve:
    case Step::Kind::sum:
      return 1;
    case Step::Kind::of_two:
      return 2;
    case Step::Kind::choice:
      return 3;
    default:
      return 0;
  }
}

ExpressionProgram::ExpressionProgram(const std::vector<std::string>& names,
                                     const std::vector<Expression>& formulas) {
  Compiler compiler(*this, names);
  for (const Expression& formula : formulas) results_.push_back(compiler.step_of(formula));
  Placing(*this).place();
}

}  // namespace williwaw::casefile
