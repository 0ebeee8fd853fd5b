#include "williwaw/casefile/formula.hpp"

#include <muParser.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>
#include <numbers>

namespace williwaw::casefile {

namespace {

// One point at a time: muParser could evaluate arrays in one call, but reads the formula anew for each of
// them.
class Compiled {
 public:
  Compiled(const std::string& text, const Constants& constants, const std::vector<std::string>& variables);

  bool uses(const std::string& variable) const;
  /// `u` may be left empty by formulas that do not use it.
  void evaluate(const Points& places, Real time, std::span<const Real> u, std::span<Real> out);

 private:
  // What variables take their values from.
  struct Line {
    std::array<const Real*, 4> values;  // x (and r), y, z, u
    Real time;
    Index count;
  };
  struct Sum {
    std::string index;
    Index from, to;
    std::unique_ptr<Compiled> term;
    std::vector<Real> values;
    Real now = 0;
  };
  struct Variable {
    int source = -1;  ///< entry of Line::values, 4 for the time, -1 for the index of a sum
    Real now = 0;
  };

  std::string take_sums(std::string text);
  void define_functions();
  void parse();
  void evaluate(const Line& line, Real* out);
  void set_index(const std::string& name, Real value);

  Constants constants_;
  std::vector<std::string> names_;
  std::map<std::string, Variable> variables_;
  std::vector<Variable*> changing_;  ///< those that the formula uses
  std::vector<Sum> sums_;
  std::string text_;
  mu::Parser parser_;
  std::mutex mutex_;
  std::vector<std::string> used_;
};

bool name_character(char c) {
  return std::isalnum(static_cast<unsigned char>(c)) || c == '_';
}

std::string trimmed(const std::string& s) {
  const auto first = s.find_first_not_of(" \t\n");
  if (first == std::string::npos) return "";
  return s.substr(first, s.find_last_not_of(" \t\n") - first + 1);
}

Compiled::Compiled(const std::string& text, const Constants& constants,
                   const std::vector<std::string>& variables)
    : constants_(constants), names_(variables), text_(text) {
  for (const auto& v : names_) constants_.erase(v);
  for (const auto& v : names_) {
    static const std::map<std::string, int> sources{{"x", 0}, {"r", 0}, {"y", 1},
                                                    {"z", 2}, {"u", 3}, {"t", 4}};
    const auto found = sources.find(v);
    variables_[v].source = found == sources.end() ? -1 : found->second;
  }
  define_functions();
  for (const auto& [name, value] : constants_) parser_.DefineConst(name, value);
  for (auto& [name, variable] : variables_) parser_.DefineVar(name, &variable.now);
  const std::string plain = take_sums(text);
  for (std::size_t s = 0; s < sums_.size(); ++s)
    parser_.DefineVar("sum_over_" + std::to_string(s), &sums_[s].now);
  parser_.SetExpr(plain);
  parse();
}

void Compiled::define_functions() {
  parser_.DefineFun("erf", [](Real v) { return std::erf(v); });
  parser_.DefineFun("erfc", [](Real v) { return std::erfc(v); });
  parser_.DefineFun("floor", [](Real v) { return std::floor(v); });
  parser_.DefineFun("ceil", [](Real v) { return std::ceil(v); });
  parser_.DefineFun("mod", [](Real a, Real b) { return a - b * std::floor(a / b); });
}

// Replaces every sum_over(index, from, to, term) by a variable that is filled before the rest is evaluated.
std::string Compiled::take_sums(std::string text) {
  const std::string word = "sum_over";
  for (std::size_t at = text.find(word); at != std::string::npos; at = text.find(word, at + 1)) {
    if (at > 0 && name_character(text[at - 1])) continue;
    const auto open = text.find_first_not_of(" ", at + word.size());
    if (open == std::string::npos || text[open] != '(')
      throw InputError("sum_over needs (index, from, to, term)");
    std::vector<std::string> arguments{""};
    int depth = 0;
    std::size_t close = open;
    for (; close < text.size(); ++close) {
      const char c = text[close];
      if (c == '(' && ++depth == 1) continue;
      if (c == ')' && --depth == 0) break;
      if (c == ',' && depth == 1)
        arguments.emplace_back();
      else
        arguments.back() += c;
    }
    if (depth != 0) throw InputError("formula '" + text_ + "': a bracket of sum_over is not closed");
    if (arguments.size() != 4)
      throw InputError("formula '" + text_ + "': sum_over takes four things, (index, from, to, term), not " +
                       std::to_string(arguments.size()));
    Sum sum;
    sum.index = trimmed(arguments[0]);
    const auto bound = [&](const std::string& a) {
      const Real v = compile(a, constants_, {})(Point{});
      if (v != std::floor(v) || std::abs(v) > 1e6)
        throw InputError("formula '" + text_ + "': the ends of sum_over must be whole numbers up to 1000000");
      return static_cast<Index>(v);
    };
    sum.from = bound(arguments[1]);
    sum.to = bound(arguments[2]);
    auto inner = names_;
    inner.push_back(sum.index);
    sum.term = std::make_unique<Compiled>(trimmed(arguments[3]), constants_, inner);
    const std::string replacement = "sum_over_" + std::to_string(sums_.size());
    sums_.push_back(std::move(sum));
    text = text.substr(0, at) + replacement + text.substr(close + 1);
    at += replacement.size();
  }
  return text;
}

void Compiled::parse() {
  try {
    parser_.Eval();
    for (const auto& [name, pointer] : parser_.GetUsedVar()) {
      used_.push_back(name);
      if (const auto found = variables_.find(name); found != variables_.end())
        changing_.push_back(&found->second);
    }
  } catch (const mu::Parser::exception_type& e) {
    const std::string token = trimmed(e.GetToken());
    std::string message = "formula '" + text_ + "' cannot be read: ";
    if (!token.empty() && (e.GetCode() == mu::ecUNASSIGNABLE_TOKEN || e.GetCode() == mu::ecUNEXPECTED_VAR) &&
        std::isalpha(static_cast<unsigned char>(token[0]))) {
      std::string name;
      for (const char c : token) {
        if (!name_character(c)) break;
        name += c;
      }
      std::vector<std::string> known = names_;
      for (const auto& [n, v] : constants_) known.push_back(n);
      for (const auto& [n, f] : parser_.GetFunDef()) known.push_back(n);
      known.push_back("sum_over");
      message += "unknown name '" + name + "'";
      // One letter is near to every other.
      if (const std::string near = name.size() > 1 ? nearest(name, known) : ""; !near.empty()) {
        message += "; did you mean '" + near + "'?";
      } else if (name.size() == 1 && std::string("xyzrtu").find(name) != std::string::npos) {
        std::string list;
        for (const auto& v : names_) list += (list.empty() ? "" : ", ") + v;
        message += list.empty() ? "; only constants may stand here" : "; here it may use " + list;
      }
      throw InputError(message);
    }
    std::string what = e.GetMsg();
    if (!what.empty()) what[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(what[0])));
    throw InputError(message + what);
  }
}

bool Compiled::uses(const std::string& variable) const {
  return std::ranges::find(used_, variable) != used_.end() ||
         std::ranges::any_of(sums_, [&](const Sum& s) { return s.term->uses(variable); });
}

void Compiled::set_index(const std::string& name, Real value) {
  if (const auto found = variables_.find(name); found != variables_.end()) found->second.now = value;
  for (auto& s : sums_)
    if (s.index != name) s.term->set_index(name, value);
}

void Compiled::evaluate(const Line& line, Real* out) {
  std::vector<Real> part(sums_.empty() ? 0 : static_cast<std::size_t>(line.count));
  for (auto& s : sums_) {
    s.values.assign(part.size(), 0.0);
    for (Index n = s.from; n <= s.to; ++n) {
      s.term->set_index(s.index, static_cast<Real>(n));
      s.term->evaluate(line, part.data());
      for (Index i = 0; i < line.count; ++i) s.values[i] += part[i];
    }
  }
  for (Index i = 0; i < line.count; ++i) {
    for (Variable* v : changing_) {
      if (v->source == 4)
        v->now = line.time;
      else if (v->source >= 0)
        v->now = line.values[v->source][i];
    }
    for (Sum& s : sums_) s.now = s.values[i];
    out[i] = parser_.Eval();
  }
}

void Compiled::evaluate(const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
  // The parser's variables are one set for all threads.
  const std::lock_guard<std::mutex> only(mutex_);
  evaluate({{places.x.data(), places.y.data(), places.z.data(), u.data()}, time, places.size()}, out.data());
}

}  // namespace

const Constants& common_constants() {
  static const Constants common{{"pi", std::numbers::pi}, {"minute", 60}, {"hour", 3600}, {"day", 86400}};
  return common;
}

namespace {

std::shared_ptr<Compiled> compiled_from(const std::string& formula, const Constants& constants,
                                        const std::vector<std::string>& variables) {
  Constants all = common_constants();
  for (const auto& [name, value] : constants) all[name] = value;
  return std::make_shared<Compiled>(formula, all, variables);
}

bool uses_place(const Compiled& c) {
  return c.uses("x") || c.uses("y") || c.uses("z") || c.uses("r");
}

// Whether one straight line in u goes through values of very different size and sign, at some places and
// times.
bool is_affine(Compiled& c) {
  constexpr std::array<Real, 7> u{0, 1, -300, -1, 0.01, 17, 300};
  Points points(static_cast<Index>(u.size()));
  std::array<Real, u.size()> f{};
  for (const Real place : {0.013, 0.37, 1.9})
    for (const Real time : {0.0, 17.0}) {
      for (auto* p : {&points.x, &points.y, &points.z}) p->assign(u.size(), place);
      c.evaluate(points, time, u, f);
      const Real slope = f[1] - f[0];
      for (std::size_t n = 2; n < u.size(); ++n)
        if (!(std::abs(f[n] - f[0] - slope * u[n]) <=
              1e-9 * (std::abs(f[0]) + std::abs(f[n]) + std::abs(slope * u[n]))))
          return false;
    }
  return true;
}

}  // namespace

Where compile_where(const std::string& formula, const Constants& constants,
                    const std::vector<std::string>& variables) {
  const auto compiled = compiled_from(formula, constants, variables);
  return [compiled](const Points& places, std::span<char> in) {
    std::vector<Real> values(in.size());
    compiled->evaluate(places, 0, {}, values);
    for (std::size_t i = 0; i < in.size(); ++i) in[i] = values[i] != 0 ? 1 : 0;
  };
}

Reaction compile_reaction(const std::string& formula, const Constants& constants,
                          const std::vector<std::string>& variables) {
  auto with_u = variables;
  with_u.push_back("u");
  const auto compiled = compiled_from(formula, constants, with_u);
  return {[compiled](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
            compiled->evaluate(places, time, u, out);
          },
          compiled->uses("t"), is_affine(*compiled)};
}

Function compile(const std::string& formula, const Constants& constants,
                 const std::vector<std::string>& variables) {
  const auto compiled = compiled_from(formula, constants, variables);
  const bool on_place = uses_place(*compiled);
  const bool on_time = compiled->uses("t");
  auto function =
      Function::by_line([compiled](const Points& places, Real time,
                                   std::span<Real> out) { compiled->evaluate(places, time, {}, out); },
                        on_place, on_time);
  if (!on_place && !on_time) return {function(Point{})};
  return function;
}

std::string nearest(const std::string& name, const std::vector<std::string>& candidates) {
  std::string best;
  // A word as far away as a third of its letters is another word.
  std::size_t least = std::max<std::size_t>(1, name.size() / 3) + 1;
  for (const auto& c : candidates) {
    // Edits from the first i letters of one to the first j of the other; two letters swapped are one edit.
    std::vector<std::vector<std::size_t>> edits(name.size() + 1, std::vector<std::size_t>(c.size() + 1));
    for (std::size_t i = 0; i <= name.size(); ++i)
      for (std::size_t j = 0; j <= c.size(); ++j) {
        if (i == 0 || j == 0) {
          edits[i][j] = i + j;
          continue;
        }
        edits[i][j] = std::min({edits[i - 1][j] + 1, edits[i][j - 1] + 1,
                                edits[i - 1][j - 1] + (name[i - 1] == c[j - 1] ? 0 : 1)});
        if (i > 1 && j > 1 && name[i - 1] == c[j - 2] && name[i - 2] == c[j - 1])
          edits[i][j] = std::min(edits[i][j], edits[i - 2][j - 2] + 1);
      }
    if (edits.back().back() < least) {
      least = edits.back().back();
      best = c;
    }
  }
  return best;
}

}  // namespace williwaw::casefile
