#include "williwaw/casefile/formula.hpp"

#include <algorithm>
#include <array>
#include <numbers>

#include "casefile/formula/expression_program.hpp"

namespace williwaw::casefile {

const Constants& common_constants() {
  static const Constants common{{"pi", std::numbers::pi}, {"minute", 60}, {"hour", 3600}, {"day", 86400}};
  return common;
}

Expression read_formula(const std::string& formula, const Constants& constants,
                        const std::vector<std::string>& variables, const Curves& curves) {
  Constants all = common_constants();
  for (const auto& [name, value] : constants) all[name] = value;
  return parse_expression(formula, all, variables, curves);
}

namespace {

FormulaInputs inputs_of(const Points& places, Real time, const Real* u) {
  return {places.x.data(), places.y.data(), places.z.data(), u, time, places.size()};
}

std::shared_ptr<const ExpressionProgram> program_of(const Expression& e) {
  return std::make_shared<const ExpressionProgram>(e);
}

bool uses_place(const Expression& e) {
  return e.uses("x") || e.uses("y") || e.uses("z") || e.uses("r");
}

// Whether the derivative by u is free of u. A formula that is affine but does not look so is taken as not
// affine, which costs iterations and nothing else.
bool is_affine(const Expression& e) {
  try {
    return !derivative(e, "u").uses("u");
  } catch (const InputError&) {
    return false;
  }
}

}  // namespace

Where where_of(const Expression& expression) {
  return [program = program_of(expression)](const Points& places, std::span<char> in) {
    // Outlines are looked for at single places, where a vector would take as long as the formula.
    std::array<Real, 8> some;
    std::vector<Real> many(in.size() > some.size() ? in.size() : 0);
    Real* const values = many.empty() ? some.data() : many.data();
    program->evaluate(inputs_of(places, 0, nullptr), values);
    for (std::size_t i = 0; i < in.size(); ++i) in[i] = values[i] != 0 ? 1 : 0;
  };
}

namespace {

Function::OfUnknown values_of_unknown(const Expression& e) {
  return [program = program_of(e)](const Points& places, Real time, std::span<const Real> u,
                                   std::span<Real> out) {
    program->evaluate(inputs_of(places, time, u.data()), out.data());
  };
}

// Nothing for a formula that jumps, which is left to differences.
Function::OfUnknown slope_by_unknown(const Expression& e) {
  try {
    return values_of_unknown(derivative(e, "u"));
  } catch (const InputError&) {
    return {};
  }
}

}  // namespace

Reaction reaction_of(const Expression& expression) {
  Reaction reaction;
  reaction.rate = values_of_unknown(expression);
  reaction.slope = slope_by_unknown(expression);
  reaction.on_time = expression.uses("t");
  reaction.linear = is_affine(expression);
  return reaction;
}

namespace {

// Formulas of several unknowns by their names.
SystemReaction::ByLine lines_of(const std::vector<std::string>& names, const std::vector<Expression>& all) {
  const auto program = std::make_shared<const ExpressionProgram>(names, all);
  return [names, program](const Points& places, Real time, UnknownLines u, std::span<std::span<Real>> out) {
    FormulaInputs inputs = inputs_of(places, time, nullptr);
    inputs.count = static_cast<Index>(u.front().size());
    inputs.names = names;
    inputs.unknowns = u;
    program->evaluate(inputs, std::span<const std::span<Real>>(out.data(), out.size()));
  };
}

bool uses_any(const Expression& e, const std::vector<std::string>& names) {
  return std::ranges::any_of(names, [&](const std::string& name) { return e.uses(name); });
}

class FormulaSystemFlux final : public SystemFlux {
 public:
  FormulaSystemFlux(const std::vector<std::string>& names,
                    const std::vector<std::array<Expression, 3>>& fluxes)
      : count_(names.size()) {
    for (std::size_t d = 0; d < 3; ++d) {
      std::vector<Expression> along, jacobian;
      for (const auto& of_unknown : fluxes) {
        along.push_back(of_unknown[d]);
        for (const std::string& name : names) jacobian.push_back(derivative(of_unknown[d], name));
      }
      flux_[d] = lines_of(names, along);
      jacobian_[d] = lines_of(names, jacobian);
    }
  }
  std::size_t components() const override { return count_; }
  void flux(int direction, UnknownLines u, std::span<std::span<Real>> out) const override {
    flux_[static_cast<std::size_t>(direction)](Points(0), 0, u, out);
  }
  void jacobian(int direction, UnknownLines u, std::span<std::span<Real>> out) const override {
    jacobian_[static_cast<std::size_t>(direction)](Points(0), 0, u, out);
  }

 private:
  std::size_t count_;
  std::array<SystemReaction::ByLine, 3> flux_, jacobian_;
};

}  // namespace

std::shared_ptr<const SystemFlux> system_flux_of(const std::vector<std::string>& names,
                                                 const std::vector<std::array<Expression, 3>>& fluxes) {
  return std::make_shared<FormulaSystemFlux>(names, fluxes);
}

SystemReaction system_reaction_of(const std::vector<std::string>& names,
                                  const std::vector<Expression>& rates) {
  SystemReaction result;
  result.rate = lines_of(names, rates);
  result.on_place = std::ranges::any_of(rates, uses_place);
  result.on_time = std::ranges::any_of(rates, [](const Expression& e) { return e.uses("t"); });
  std::vector<Expression> slopes;
  result.linear = true;
  try {
    for (const Expression& rate : rates)
      for (const std::string& name : names) {
        slopes.push_back(derivative(rate, name));
        result.linear = result.linear && !uses_any(slopes.back(), names);
      }
    result.slopes = lines_of(names, slopes);
  } catch (const InputError&) {
    // A formula that jumps is left to differences.
    result.linear = false;
  }
  return result;
}

OfUnknowns of_unknowns(const std::vector<std::string>& names, const Expression& value) {
  return [line = lines_of(names, {value})](const Points& places, Real time, UnknownLines u,
                                           std::span<Real> out) {
    std::span<Real> only = out;
    line(places, time, u, {&only, 1});
  };
}

CrossDiffusion cross_diffusion_of(const std::vector<std::string>& names, std::size_t of, std::size_t by,
                                  const Expression& diffusivity) {
  CrossDiffusion result{of, by, of_unknowns(names, diffusivity)};
  result.on_unknowns = uses_any(diffusivity, names);
  result.on_place = uses_place(diffusivity);
  result.on_time = diffusivity.uses("t");
  try {
    std::vector<Expression> slopes;
    for (const std::string& name : names) slopes.push_back(derivative(diffusivity, name));
    result.slopes = lines_of(names, slopes);
  } catch (const InputError&) {
    // A formula that jumps is left to differences.
  }
  return result;
}

namespace {

// The factors of a product that depend on place and those that depend on time; false if one depends on both.
bool split_factors(const Expression& e, Expression& place, Expression& time) {
  using enum Expression::Operation;
  if (!uses_place(e)) {
    time = time * e;
    return true;
  }
  if (!e.uses("t") && e.operation() != negate) {
    place = place * e;
    return true;
  }
  switch (e.operation()) {
    case negate:
      time = -time;
      return split_factors(e.operand(0), place, time);
    case multiply:
      return split_factors(e.operand(0), place, time) && split_factors(e.operand(1), place, time);
    case divide: {
      Expression place_below = 1, time_below = 1;
      if (!split_factors(e.operand(0), place, time) || !split_factors(e.operand(1), place_below, time_below))
        return false;
      place = place / place_below;
      time = time / time_below;
      return true;
    }
    case select: {
      // What is on at some times: the other branch is 0, or has the same factor of place.
      if (uses_place(e.operand(0))) return false;
      std::array<Expression, 2> places{1, 1}, times{1, 1};
      for (std::size_t n = 0; n < 2; ++n)
        if (!split_factors(e.operand(n + 1), places[n], times[n])) return false;
      const bool first_is_off = times[0].is_number(0), second_is_off = times[1].is_number(0);
      if (!first_is_off && !second_is_off && places[0].text() != places[1].text()) return false;
      place = place * places[first_is_off ? 1 : 0];
      time = time * Expression(Expression::Node{select, 0, {}, {e.operand(0), times[0], times[1]}});
      return true;
    }
    default:
      return false;
  }
}

}  // namespace

Function function_of(const Expression& expression) {
  const bool on_place = uses_place(expression), on_time = expression.uses("t");
  if (expression.uses("u"))
    return Function::of_unknown(values_of_unknown(expression), slope_by_unknown(expression), on_place,
                                on_time);
  if (!on_place && !on_time) return {value_of(expression)};
  Function whole = Function::by_line(
      [program = program_of(expression)](const Points& places, Real time, std::span<Real> out) {
        program->evaluate(inputs_of(places, time, nullptr), out.data());
      },
      on_place, on_time);
  Expression place = 1, time = 1;
  if (!on_place || !on_time || !split_factors(expression, place, time)) return whole;
  return Function::with_factors(std::move(whole), function_of(place), function_of(time));
}

Where compile_where(const std::string& formula, const Constants& constants,
                    const std::vector<std::string>& variables) {
  return where_of(read_formula(formula, constants, variables));
}

Reaction compile_reaction(const std::string& formula, const Constants& constants,
                          const std::vector<std::string>& variables) {
  auto with_u = variables;
  with_u.emplace_back("u");
  return reaction_of(read_formula(formula, constants, with_u));
}

Function compile(const std::string& formula, const Constants& constants,
                 const std::vector<std::string>& variables) {
  return function_of(read_formula(formula, constants, variables));
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
