#include <algorithm>
#include <charconv>
#include <cmath>

#include "casefile/formula/expression_functions.hpp"
#include "williwaw/casefile/curve.hpp"
#include "williwaw/casefile/formula.hpp"

namespace williwaw::casefile {

namespace {

using Operation = Expression::Operation;

bool starts_name(char c) {
  return std::isalpha(static_cast<unsigned char>(c)) || c == '_';
}

bool in_name(char c) {
  return starts_name(c) || std::isdigit(static_cast<unsigned char>(c));
}

// Recursive descent, one function for each level of precedence. Deeper nesting than `deepest` is refused, so
// that no text exhausts the stack; nor do more than `longest` terms in a row, each a level of the tree.
class Parser {
 public:
  Parser(const std::string& text, const Constants& constants, const std::vector<std::string>& variables,
         const Curves& curves)
      : text_(text), constants_(constants), variables_(variables), curves_(curves) {}

  Expression whole() {
    skip();
    if (at_ == text_.size()) fail("it is empty");
    Expression result = selection();
    skip();
    if (at_ < text_.size()) fail_at_rest();
    return result;
  }

 private:
  static constexpr int deepest = 200, longest = 1000;
  struct Level {
    explicit Level(Parser& p) : parser(p) {
      if (++parser.depth_ > deepest) parser.fail("it is nested too deeply");
    }
    Level(const Level&) = delete;
    Level& operator=(const Level&) = delete;
    ~Level() { --parser.depth_; }
    Parser& parser;
  };

  [[noreturn]] void fail(const std::string& what) const {
    throw InputError("formula '" + text_ + "' cannot be read: " + what);
  }
  [[noreturn]] void fail_at_rest() const {
    if (at_ >= text_.size()) fail("it ends where a value is expected");
    fail("unexpected '" + text_.substr(at_, 12) + "' at character " + std::to_string(at_ + 1));
  }

  void skip() {
    while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_]))) ++at_;
  }
  bool take(const std::string& token) {
    skip();
    if (text_.compare(at_, token.size(), token) != 0) return false;
    at_ += token.size();
    return true;
  }
  void need(const std::string& token, const std::string& what) {
    if (!take(token)) at_ < text_.size() ? fail_at_rest() : fail(what);
  }

  Expression made(Operation operation, std::vector<Expression> operands, std::size_t begin) const {
    Expression::Node node{operation, 0, {}, std::move(operands)};
    node.begin = begin;
    node.end = at_;
    return Expression(std::move(node));
  }

  Expression selection() {
    const Level level(*this);
    skip();
    const std::size_t begin = at_;
    Expression condition = disjunction();
    if (!take("?")) return condition;
    Expression first = selection();
    need(":", "a ':' is missing after '?'");
    Expression second = selection();
    return made(Operation::select, {condition, first, second}, begin);
  }

  struct Sign {
    const char* token;
    Operation operation;
  };
  // Operators of one level, evaluated from the left. Longer tokens stand before those they begin with.
  template <class Next>
  Expression from_left(std::initializer_list<Sign> signs, Next next) {
    skip();
    const std::size_t begin = at_;
    Expression result = next();
    for (int terms = 1;; ++terms) {
      if (terms > longest) fail("more than " + std::to_string(longest) + " terms in a row; use sum_over");
      const auto found = std::ranges::find_if(signs, [&](const Sign& s) { return take(s.token); });
      if (found == signs.end()) return result;
      const Expression right = next();
      result = made(found->operation, {result, right}, begin);
    }
  }

  Expression disjunction() {
    return from_left({{"||", Operation::either}}, [this] { return conjunction(); });
  }
  Expression conjunction() {
    return from_left({{"&&", Operation::both}}, [this] { return comparison(); });
  }
  Expression comparison() {
    return from_left({{"<=", Operation::less_equal},
                      {">=", Operation::greater_equal},
                      {"==", Operation::equal},
                      {"!=", Operation::not_equal},
                      {"<", Operation::less},
                      {">", Operation::greater}},
                     [this] { return addition(); });
  }
  Expression addition() {
    return from_left({{"+", Operation::add}, {"-", Operation::subtract}}, [this] { return product(); });
  }
  Expression product() {
    return from_left({{"*", Operation::multiply}, {"/", Operation::divide}},
                     [this] { return signed_value(); });
  }
  Expression signed_value() {
    const Level level(*this);
    skip();
    const std::size_t begin = at_;
    if (take("-")) {
      const Expression inner = signed_value();
      return made(Operation::negate, {inner}, begin);
    }
    if (take("+")) return signed_value();
    return powered();
  }
  Expression powered() {
    skip();
    const std::size_t begin = at_;
    const Expression base = value();
    if (!take("^")) return base;
    const Expression exponent = signed_value();
    return made(Expression::Operation::raise, {base, exponent}, begin);
  }

  Expression value() {
    skip();
    if (at_ >= text_.size()) fail("it ends where a value is expected");
    const std::size_t begin = at_;
    const char c = text_[at_];
    if (take("(")) {
      Expression inner = selection();
      need(")", "a closing bracket is missing");
      return inner;
    }
    if (std::isdigit(static_cast<unsigned char>(c)) || c == '.') return number();
    if (!starts_name(c)) fail_at_rest();
    while (at_ < text_.size() && in_name(text_[at_])) ++at_;
    const std::string name = text_.substr(begin, at_ - begin);
    skip();
    if (at_ < text_.size() && text_[at_] == '(') return call(name, begin);
    return named(name, begin);
  }

  Expression number() {
    Expression::Node node;
    const auto [after, problem] =
        std::from_chars(text_.data() + at_, text_.data() + text_.size(), node.value);
    if (problem != std::errc{}) fail_at_rest();
    node.begin = at_;
    at_ = node.end = static_cast<std::size_t>(after - text_.data());
    return Expression(std::move(node));
  }

  Expression named(const std::string& name, std::size_t begin) const {
    Expression::Node node;
    node.name = name;
    node.begin = begin;
    node.end = begin + name.size();
    if (std::ranges::find(variables_, name) != variables_.end()) {
      node.operation = Operation::variable;
      return Expression(std::move(node));
    }
    const auto found = constants_.find(name);
    if (found == constants_.end()) unknown(name);
    node.operation = Operation::constant;
    node.value = found->second;
    return Expression(std::move(node));
  }

  [[noreturn]] void unknown(const std::string& name) const {
    std::string message = "unknown name '" + name + "'";
    std::vector<std::string> known = variables_;
    for (const auto& [n, v] : constants_) known.push_back(n);
    for (const auto& [n, f] : formula_functions()) known.push_back(n);
    for (const auto& [n, c] : curves_) known.push_back(n);
    known.emplace_back("sum_over");
    // One letter is near to every other.
    if (const std::string near = name.size() > 1 ? nearest(name, known) : ""; !near.empty()) {
      message += "; did you mean '" + near + "'?";
    } else if (name.size() == 1 && std::string("xyzrtu").find(name) != std::string::npos) {
      std::string list;
      for (const auto& v : variables_) list += (list.empty() ? "" : ", ") + v;
      message += list.empty() ? "; only constants may stand here" : "; here it may use " + list;
    }
    fail(message);
  }

  Expression call(const std::string& name, std::size_t begin) {
    if (name == "sum_over") return sum_over(begin);
    const auto& functions = formula_functions();
    const auto found = functions.find(name);
    if (const auto curve = curves_.find(name); curve != curves_.end())
      return call_curve(curve->second, begin);
    if (found == functions.end()) {
      if (std::ranges::find(variables_, name) != variables_.end() || constants_.count(name) > 0)
        fail("'" + name + "' is not a function; a product needs '*'");
      unknown(name);
    }
    take("(");
    std::vector<Expression> operands{selection()};
    while (take(",")) operands.push_back(selection());
    need(")", "a closing bracket is missing");
    const auto wanted = static_cast<std::size_t>(found->second);
    if (wanted > 0 && operands.size() != wanted)
      fail("'" + name + "' takes " + std::to_string(wanted) + (wanted == 1 ? " value" : " values") +
           ", not " + std::to_string(operands.size()));
    Expression::Node node{Operation::function, 0, name, std::move(operands)};
    node.begin = begin;
    node.end = at_;
    return Expression(std::move(node));
  }

  Expression call_curve(const std::shared_ptr<const Curve>& curve, std::size_t begin) {
    take("(");
    Expression::Node node{Operation::curve, 0, curve->name(), {selection()}};
    need(")", "a closing bracket is missing, and a curve takes one value");
    node.begin = begin;
    node.end = at_;
    node.curve = curve;
    return Expression(std::move(node));
  }

  // Counts the operands of a call without reading them, so that a wrong number is told before a wrong name.
  std::size_t operands_ahead() const {
    std::size_t count = 1;
    int depth = 0;
    for (std::size_t i = at_; i < text_.size(); ++i) {
      const char c = text_[i];
      if (c == '(') ++depth;
      if (c == ')' && --depth == 0) return count;
      if (c == ',' && depth == 1) ++count;
    }
    throw InputError("formula '" + text_ + "': a bracket of sum_over is not closed");
  }

  Index bound() {
    Parser inner(text_, constants_, {}, curves_);
    inner.at_ = at_;
    inner.depth_ = depth_;
    const Real v = value_of(inner.selection());
    at_ = inner.at_;
    if (v != std::floor(v) || std::abs(v) > 1e6)
      throw InputError("formula '" + text_ + "': the bounds of sum_over must be whole numbers up to 1000000");
    return static_cast<Index>(v);
  }

  Expression sum_over(std::size_t begin) {
    const std::size_t given = operands_ahead();
    if (given != 4)
      throw InputError("formula '" + text_ + "': sum_over takes four things, (index, from, to, term), not " +
                       std::to_string(given));
    take("(");
    skip();
    const std::size_t from = at_;
    while (at_ < text_.size() && in_name(text_[at_])) ++at_;
    Expression::Node node;
    node.operation = Operation::sum;
    node.name = text_.substr(from, at_ - from);
    if (node.name.empty() || !starts_name(node.name[0])) fail("the index of sum_over must be a name");
    need(",", "a bracket of sum_over is not closed");
    node.first = bound();
    need(",", "a bracket of sum_over is not closed");
    node.last = bound();
    need(",", "a bracket of sum_over is not closed");
    Parser inner(text_, constants_, variables_, curves_);
    inner.variables_.push_back(node.name);
    inner.at_ = at_;
    inner.depth_ = depth_;
    node.operands.push_back(inner.selection());
    at_ = inner.at_;
    need(")", "a bracket of sum_over is not closed");
    node.begin = begin;
    node.end = at_;
    return Expression(std::move(node));
  }

  const std::string& text_;
  const Constants& constants_;
  std::vector<std::string> variables_;
  const Curves& curves_;
  std::size_t at_ = 0;
  int depth_ = 0;
};

}  // namespace

Expression parse_expression(const std::string& text, const Constants& constants,
                            const std::vector<std::string>& variables, const Curves& curves) {
  return Parser(text, constants, variables, curves).whole();
}

}  // namespace williwaw::casefile
