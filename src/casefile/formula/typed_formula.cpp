#include "casefile/formula/typed_formula.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace williwaw::casefile {

namespace {

Dimension of_unit(const char* name) {
  return Dimension(Unit::of(name));
}

Measure measure_of_name(const Context& context, const std::string& name, const UnknownInFormulas& u) {
  static const Dimension length = of_unit("m"), time = of_unit("s");
  if (const auto found = context.constants.find(name); found != context.constants.end())
    return found->second.measure;
  if (name == "t" || name == "minute" || name == "hour" || name == "day") return {time};
  for (const char* axis : {"x", "y", "z", "r"})
    if (name == axis) return {length};
  for (const UnknownInFormulas& unknown : context.unknowns)
    if (name == unknown.name) return unknown.measure;
  return name == u.name ? u.measure : Measure{};
}

bool calls_curve(const Expression& e) {
  return e.operation() == Expression::Operation::curve || std::ranges::any_of(e.node().operands, calls_curve);
}

std::string found_text(const Measure& m) {
  return m.dimension.is_pure() ? "a pure number" : "'" + m.dimension.text() + "'";
}

}  // namespace

Expression read_si_formula(const Context& context, const std::string& formula, const Words& variables,
                           const Expected& expected, const UnknownInFormulas& u) {
  const Expression e = read_formula(formula, context.values(), variables, context.curves);
  if (!context.dimensional) return e;
  const Measure found =
      measure_of(e, formula, [&](const std::string& n) { return measure_of_name(context, n, u); });
  if (!found.fits(Dimension(expected.unit)))
    throw InputError(
        fmt::format("formula '{}' comes out as {}, but {}; give {{ formula = \"..\", unit = \"..\" }}, or "
                    "constants with a unit",
                    formula, found_text(found), expected.needed()));
  if (expected.difference && found.origin == Measure::Origin::scale)
    throw InputError(fmt::format("'{}' is a temperature on a scale, but {}: write \"4 K\" for a difference",
                                 formula, expected.needed()));
  return e;
}

Expression read_formula_in(const Context& context, const std::string& formula, const Words& variables,
                           const Unit& unit, bool difference, const std::optional<Unit>& u_unit,
                           const UnknownInFormulas& u) {
  Constants values = context.values();
  for (const auto& [name, constant] : context.constants)
    if (constant.in) values[name] = constant.in->from_si(constant.value);
  Expression e = read_formula(formula, values, variables, context.curves);
  const Dimension of_result(unit);
  const bool coherent = difference ? unit.to_si(1, true) == 1 : unit.is_coherent();
  if (context.dimensional && !coherent) {
    for (const auto& [name, constant] : context.constants)
      if (!constant.in && !of_result.is_pure() && constant.measure.dimension == of_result && e.uses(name))
        throw InputError(fmt::format(
            "formula '{}': constant '{}' stands for {:.6g} {} (SI) beside unit '{}': ambiguous; give {} = {{ "
            "value = \"{}\", in = \"{}\" }}, or leave the unit out and give every constant its own",
            formula, name, constant.value, constant.measure.dimension.text(), unit.text(), name,
            constant.text, unit.text()));
  }
  for (const UnknownInFormulas& unknown : context.unknowns)
    if (context.dimensional && unknown.name != u.name && unknown.shown && !unknown.shown->is_coherent() &&
        e.uses(unknown.name))
      throw InputError(fmt::format(
          "formula '{0}': the case writes {1} in '{2}', formulas take it in '{3}' (SI): ambiguous; "
          "leave unit out and give every constant its own",
          formula, unknown.name, unknown.shown->text(), unknown.measure.dimension.text()));
  if (context.dimensional && !u_unit && u.shown && !u.shown->is_coherent() && e.uses(u.name))
    throw InputError(fmt::format(
        "formula '{}': the case writes {} in '{}', formulas take it in '{}' (SI): ambiguous; give "
        "u_unit = \"{}\"",
        formula, u.name, u.shown->text(), u.measure.dimension.text(), u.shown->text()));
  if (u_unit && !u_unit->is_coherent() && calls_curve(e))
    throw InputError(
        fmt::format("formula '{}' calls a curve, which takes values in SI by the header of its table: "
                    "leave unit and u_unit out",
                    formula));
  if (u_unit) {
    // Units are linear: two conversions tell all of them.
    const Real zero = u_unit->from_si(0), slope = u_unit->from_si(1) - zero;
    e = substitute(e, u.name, Expression(slope) * Expression::variable(u.name) + zero);
  }
  const Real zero = unit.to_si(0, difference), one = unit.to_si(1, difference) - zero;
  return Expression(one) * e + zero;
}

WrittenFormula read_written_formula(const Context& context, const Node& node, const std::string& key,
                                    const Expected& expected, const Words& variables,
                                    const UnknownInFormulas& u, const std::string& what) {
  std::string formula;
  std::optional<Unit> unit, u_unit;
  if (node.is_text()) {
    formula = node.text();
  } else if (node.is_table()) {
    const Section table(context, node, key);
    table.allow({"formula", "unit", "u_unit"}, {});
    table.need("formula", what);
    formula = table.word("formula", "");
    unit = read_unit(table, "unit", expected.unit, expected.name);
    u_unit = read_unit(table, "u_unit", *u.of_case, "a value of the unknown");
    if (u_unit && !unit)
      table.fail("u_unit", fmt::format("goes with the unit of the result, unit = \"{}\" for example",
                                       expected.unit.text()));
  } else {
    throw CaseError(node.place.text(), key, what + " in quotation marks is needed here");
  }
  try {
    return {unit           ? read_formula_in(context, formula, variables, *unit, false, u_unit, u)
            : node.derived ? read_formula(formula, context.values(), variables)
                           : read_si_formula(context, formula, variables, expected, u),
            formula};
  } catch (const CaseError&) {
    throw;
  } catch (const InputError& e) {
    throw CaseError(node.place.text(), key, e.what());
  }
}

void take_constant(const Context& context, const Node& node, const std::string& key, Constant& constant) {
  if (node.is_number()) {
    if (!std::isfinite(node.number()))
      throw CaseError(node.place.text(), key, "a finite number is needed here");
    constant = {node.number(), {}, {}, fmt::format("{:.10g}", node.number()), {}};
    return;
  }
  if (node.is_table()) {
    const Section section(context, node, key);
    section.allow({"value", "in"}, {});
    take_constant(context, section.need("value", "the constant's value"), section.key_path("value"),
                  constant);
    if (!constant.unit) section.fail("value", "a number with a unit is needed beside 'in'");
    constant.in = read_unit(section, "in", *constant.unit, "the unit that formulas take the constant in");
    if (!constant.in) section.need("in", "the unit that formulas take the constant in");
    return;
  }
  if (!node.is_text()) throw CaseError(node.place.text(), key, "a number or a text is needed here");
  const std::string& text = node.text();
  if (const auto measured = split_measured(text)) {
    const auto unit = Unit::parse(measured->unit);
    if (!unit) throw CaseError(node.place.text(), key, fmt::format("'{}' is not a unit", measured->unit));
    const auto origin = unit->has_origin() ? Measure::Origin::scale : Measure::Origin::none;
    constant = {unit->to_si(measured->number), unit, {Dimension(*unit), origin}, text, {}};
  } else {
    try {
      const Expression e = read_formula(text, context.values(), {});
      const Measure m =
          context.dimensional
              ? measure_of(e, text,
                           [&](const std::string& n) { return measure_of_name(context, n, no_unknown()); })
              : Measure{};
      constant = {value_of(e), {}, m, text, {}};
    } catch (const InputError& e) {
      throw CaseError(node.place.text(), key, e.what());
    }
  }
  if (!std::isfinite(constant.value))
    throw CaseError(node.place.text(), key, "a finite number is needed here");
}

std::optional<Unit> read_unit(const Section& section, const std::string& key, const Unit& like,
                              const std::string& what) {
  if (!section.has(key)) return std::nullopt;
  const std::string name = section.word(key, "");
  const auto unit = Unit::parse(name);
  if (!unit) section.fail(key, fmt::format("'{}' is not a unit", name));
  if (!unit->same_dimension(like))
    section.fail(key, fmt::format("unit '{}' does not fit: {}", name, Expected{like, false, what}.needed()));
  return unit;
}

}  // namespace williwaw::casefile
