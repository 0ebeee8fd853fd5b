// Formulas as cases write them: constants with units, dimensions that are checked, results and unknowns in
// stated units.
#pragma once

#include "casefile/reader.hpp"

namespace williwaw::casefile {

/// A formula without a stated unit: in a case with units it must come out in the dimension that is expected,
/// and as a difference where one is. `u` says what u measures where the formula may use it. Throws
/// InputError.
Expression read_si_formula(const Context& context, const std::string& formula, const Words& variables,
                           const Expected& expected, const UnknownInFormulas& u = no_unknown());
/// { formula, unit, u_unit }: names are plain numbers in SI, constants with `in` numbers in that unit;
/// dimensions are not checked. The result is the value in SI. Refused are constants of the result's dimension
/// beside a unit that is not SI, and u where the case writes it in such a unit, if nothing says how they are
/// meant. Throws InputError.
Expression read_formula_in(const Context& context, const std::string& formula, const Words& variables,
                           const Unit& unit, bool difference, const std::optional<Unit>& u_unit = {},
                           const UnknownInFormulas& u = no_unknown());
/// A formula as a case writes it, in SI, and its text.
struct WrittenFormula {
  Expression expression;
  std::string text;
};
/// "-k*u", or { formula, unit, u_unit }; `what` names it in messages, "a formula of u". Throws CaseError.
WrittenFormula read_written_formula(const Context& context, const Node& node, const std::string& key,
                                    const Expected& expected, const Words& variables,
                                    const UnknownInFormulas& u, const std::string& what = "a formula of u");
/// "0.4 m", "2*slab" or 5 as a constant of the case.
void take_constant(const Context& context, const Node& node, const std::string& key, Constant& constant);
/// What is written as `unit` or `u_unit`; throws CaseError for what is no unit or of another dimension.
std::optional<Unit> read_unit(const Section& section, const std::string& key, const Unit& like,
                              const std::string& what);

}  // namespace williwaw::casefile
