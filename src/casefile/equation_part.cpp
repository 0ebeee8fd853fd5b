#include <fmt/format.h>

#include <algorithm>

#include "parts.hpp"

namespace williwaw::casefile {

namespace {

const Words later_kinds{"wave", "transport", "conservation", "unsaturated", "system"};

const Node& equation_node(const Node& root, const Context& context) {
  const Node* node = root.find("equation");
  if (!node) throw CaseError(context.file, "equation", "missing; a case needs an [equation]");
  return *node;
}

Expected expected_for(Coefficient coefficient, const Dimensions& d) {
  switch (coefficient) {
    case Coefficient::conductivity:
      return {Unit::of("W/m/K"), false, "a conductivity"};
    case Coefficient::density:
      return {Unit::of("kg/m^3"), false, "a density"};
    case Coefficient::heat_capacity:
      return {Unit::of("J/kg/K"), false, "a heat capacity"};
    case Coefficient::diffusivity:
      return {d.conductivity, false, "a diffusivity"};
    case Coefficient::storage:
      return {d.storage, false, "a storage"};
    case Coefficient::source:
      break;
  }
  return {d.source, false, "an amount per volume and time"};
}

// A table of one value for each axis, as against { formula, unit }.
bool is_by_axis(const Node& node) {
  return node.is_table() && !node.table().empty() && std::ranges::all_of(node.table(), [](const Entry& e) {
           return e.key == "x" || e.key == "y" || e.key == "z";
         });
}

}  // namespace

const EquationKind& read_equation_kind(const Node& root, const Context& context) {
  const Node& node = equation_node(root, context);
  const Section section(context, node, "equation");
  Words known;
  for (const auto& k : equation_kinds()) known.push_back(k.name);
  section.need("kind", "the kind of equation: " + listed(known));
  const std::string name = section.choice("kind", "", known, later_kinds);
  return *std::ranges::find(equation_kinds(), name, &EquationKind::name);
}

Unit shown_unit(const EquationKind& kind, const Context& context, const Node& root) {
  const Node& equation = equation_node(root, context);
  if (const Node* unknown = equation.find("unknown"))
    if (const Node* unit = unknown->find("unit"); unit && unit->is_text()) {
      const auto parsed = Unit::parse(unit->text());
      if (!parsed)
        throw CaseError(unit->place.text(), "equation.unknown.unit", "'" + unit->text() + "' is not a unit");
      return *parsed;
    }
  // Otherwise as the case itself writes values of the unknown: the initial value, then what walls hold.
  std::vector<const Node*> candidates;
  if (const Node* initial = root.find("initial")) candidates.push_back(initial->find("value"));
  if (const Node* boundary = root.find("boundary"); boundary && boundary->is_table())
    for (const auto& side : boundary->table()) {
      candidates.push_back(side.node->find("dirichlet"));
      if (const Node* robin = side.node->find("robin")) candidates.push_back(robin->find("ambient"));
    }
  const bool temperature = kind.unknown == "temperature";
  for (const Node* c : candidates)
    if (c)
      // A unit that cannot be the unknown's is left for its own key to complain of.
      if (const auto unit = unit_written(context, *c);
          unit && (!temperature || unit->same_dimension(Unit::of("K"))))
        return *unit;
  return temperature ? Unit::of("K") : Unit();
}

Dimensions dimensions_of(const EquationKind& kind, const Context& context, const Node& root) {
  Dimensions d;
  const Unit length = Unit::of("m"), time = Unit::of("s");
  d.unknown = shown_unit(kind, context, root);
  if (kind.unknown == "temperature") {
    if (!d.unknown.same_dimension(Unit::of("K")))
      throw CaseError(equation_node(root, context).find("unknown")->place.text(), "equation.unknown.unit",
                      "the unknown is a temperature, which '" + d.unknown.text() + "' does not measure");
    d.storage = Unit::of("J/m^3/K");
    d.unknown = Unit::of("K");
  } else if (const Node* storage = equation_node(root, context).find("storage")) {
    if (const auto unit = unit_written(context, *storage)) d.storage = *unit;
  }
  // [source] = [storage·u/t], [conductivity] = [source·L²/u]
  d.source = d.storage * d.unknown / time;
  d.conductivity = d.storage * length.power(2) / time;
  d.flux = d.source * length;
  d.gradient = d.unknown / length;
  d.exchange = d.flux / d.unknown;
  return d;
}

Equation read_equation(const Context& context, const Node& root, const EquationKind& kind,
                       const Dimensions& dimensions, std::vector<std::pair<std::string, Value>>& shown) {
  const Node& node = equation_node(root, context);
  const Section section(context, node, "equation");
  Words known{"kind", "unknown"};
  for (const auto& k : kind.keys) known.push_back(k.name);
  Words later{"points", "reaction"};
  for (const auto& other : equation_kinds())
    for (const auto& k : other.keys)
      if (std::ranges::find(known, k.name) == known.end())
        if (section.has(k.name))
          section.fail(k.name, "does not belong to kind '" + kind.name + "', whose keys are " +
                                   listed({known.begin() + 2, known.end()}, "and"));
  section.allow(known, later);

  std::vector<std::vector<Function>> coefficients;
  for (const auto& key : kind.keys) {
    auto& functions = coefficients.emplace_back();
    const std::size_t count = key.each_axis ? 3 : 1;
    const Expected expected = expected_for(key.coefficient, dimensions);
    const Node* given = section.find(key.name);
    if (!given) {
      if (key.required)
        section.need(key.name, expected.name + ", in '" + expected.unit.text() + "' for example");
      functions.assign(count, Function(key.otherwise));
      continue;
    }
    const bool is_source = key.coefficient == Coefficient::source;
    const bool stores = key.coefficient == Coefficient::density || key.coefficient == Coefficient::storage ||
                        key.coefficient == Coefficient::heat_capacity;
    const auto read = [&](const Node& n, const std::string& path) {
      Words variables = context.variables;
      variables.push_back("t");
      const Value v = read_value(context, n, path, expected, variables);
      if (stores && v.function.depends_on_time())
        throw CaseError(n.place.text(), path,
                        "must not depend on time: a storage that changes by itself would create or destroy "
                        "what is stored");
      if (!is_source && v.function.is_constant() && !(v.function(Point{}) > 0))
        throw CaseError(n.place.text(), path, "must be above zero");
      return v;
    };
    if (key.each_axis && is_by_axis(*given)) {
      const Section by_axis(context, *given, section.key_path(key.name));
      by_axis.allow(context.variables, {});
      functions.assign(3, Function(1.0));
      for (const auto& axis : context.variables) {
        const Value v = read(by_axis.need(axis, "one for each axis"), by_axis.key_path(axis));
        functions[static_cast<std::size_t>(axis[0] - 'x')] = v.function;
        shown.emplace_back(key.name + "." + axis, v);
      }
    } else {
      const Value v = read(*given, section.key_path(key.name));
      functions.assign(count, v.function);
      shown.emplace_back(key.name, v);
    }
  }
  Equation equation = kind.make(coefficients);
  if (const Node* unknown = section.find("unknown")) {
    const Section naming(context, *unknown, "equation.unknown");
    naming.allow({"name", "unit"}, {});
    equation.unknown = naming.word("name", equation.unknown);
    if (equation.unknown.empty() || std::ranges::any_of(equation.unknown, [](char c) {
          return !(std::isalnum(static_cast<unsigned char>(c)) || c == '_' || c == '-');
        }))
      naming.fail("name", "a name of letters, digits, '_' and '-' is needed here");
  }
  return equation;
}

}  // namespace williwaw::casefile
