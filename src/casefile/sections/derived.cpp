// [derived]: quantities that follow from the unknowns by formulas, recorded and shown beside them.
#include <algorithm>

#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

namespace {

// Variables of the file, beside which the quantity would stand under the same name.
bool is_taken(const Case& given, const std::string& name) {
  static const Words own{"x", "y", "z", "r", "t", "time", "stage", "volume_fraction", "front"};
  const Words known = given.quantities();
  return std::ranges::find(own, name) != own.end() || std::ranges::find(known, name) != known.end();
}

}  // namespace

void choose_fluxes(const Node& root, Case& result) {
  const Equation& equation = result.problem.equation();
  if (result.is_system() || equation.second_order || equation.advection) return;
  const auto named = [&](const char* section, const std::string& name) {
    const Node* list = root.find(section);
    return list && list->is_array() && std::ranges::any_of(list->array(), [&](const Node& item) {
             const Node* of = item.is_table() ? item.find("of") : nullptr;
             return of && of->is_text() && of->text() == name;
           });
  };
  for (int a = 0; a < result.grid().dimension(); ++a)
    if (equation.kind == "unsaturated" || named("figure", result.flux_name(a)) ||
        named("probe", result.flux_name(a)))
      result.fluxes.push_back(a);
}

void read_derived(const Context& context, const Node& root, const std::vector<Dimensions>& dimensions,
                  Case& result) {
  const Node* node = root.find("derived");
  if (!node) return;
  const Section all(context, *node, "derived");
  Words names, variables = context.variables;
  for (const Dimensions& d : dimensions) names.push_back(d.name);
  variables.insert(variables.end(), names.begin(), names.end());
  variables.emplace_back("t");
  for (const Entry& e : all.node().table()) {
    const std::string path = all.key_path(e.key);
    if (!is_name(e.key, "_-")) all.fail(e.key, "a name of letters, digits, '-' and '_' is needed here");
    if (is_taken(result, e.key))
      all.fail(e.key, "the results have something of this name already: choose another one");
    DerivedOfCase derived{e.key};
    const Node* formula = e.node.get();
    std::string formula_path = path;
    if (e.node->is_table() && !e.node->find("formula")) {
      const Section own(context, *e.node, path);
      own.allow({"value", "unit"}, {});
      formula = &own.need("value", "a formula of the unknowns");
      formula_path += ".value";
    }
    Unit unit;
    if (const Node* given = e.node->is_table() ? e.node->find("unit") : nullptr) {
      const auto parsed = given->is_text() ? Unit::parse(given->text()) : std::nullopt;
      if (!parsed)
        throw CaseError(given->place.text(), path + ".unit", "a unit is needed here, \"1\" for none");
      unit = *parsed;
      if (unit.text() != "1") derived.scale = scale_in(unit);
    }
    const std::string needed = derived.scale.unit.empty()
                                   ? "a plain number, or { value = \"..\", unit = \"..\" },"
                                   : "a value in '" + derived.scale.unit + "'";
    const WrittenFormula written =
        read_written_formula(context, *formula, formula_path, {unit, false, needed}, variables,
                             dimensions.front().in_formulas(), "a formula of the unknowns");
    derived.text = written.text;
    derived.value = of_unknowns(names, written.expression);
    result.derived.push_back(std::move(derived));
  }
}

}  // namespace williwaw::casefile
