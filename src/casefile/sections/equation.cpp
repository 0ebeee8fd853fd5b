#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

namespace {

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
    case Coefficient::inertia:
      return {d.storage, false, "what is stored"};
    case Coefficient::speed:
      return {Unit::of("m/s"), false, "a speed"};
    case Coefficient::tension:
      return {d.conductivity, false, "a tension"};
    case Coefficient::damping:
      return {Unit::of("1/s"), false, "a rate of damping"};
    case Coefficient::source:
      break;
  }
  return {d.source, false, d.waves ? "a force on a unit of inertia" : "an amount per volume and time"};
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
  const std::string name = section.choice("kind", "", known, {});
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
  // A run that goes on from another one shows what that one showed; of several unknowns that of the same
  // name.
  std::string name;
  if (kind.several_unknowns && equation.find("unknown"))
    name = equation.find("unknown")->find("name")->text();
  if (const Node* initial = root.find("initial"))
    if (const Node* value = initial->find("value"); value && value->is_table() && value->find("from"))
      if (const auto unit = unit_of_run(context, *value, name)) return *unit;
  // Otherwise as the case itself writes values of the unknown: the initial value, then what boundaries hold.
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
          unit && (!temperature || unit->same_dimension(Unit::of("K"))) &&
          (!kind.has_soil || unit->same_dimension(Unit::of("m"))))
        return *unit;
  return temperature ? Unit::of("K") : kind.has_soil && context.dimensional ? Unit::of("m") : Unit();
}

Dimensions dimensions_of(const EquationKind& kind, const Context& context, const Node& root) {
  Dimensions d;
  const Unit length = Unit::of("m"), time = Unit::of("s");
  d.unknown = d.shown = shown_unit(kind, context, root);
  if (kind.several_unknowns)
    d.name =
        Section(context, *equation_node(root, context).find("unknown"), "equation.unknown").word("name", "");
  if (const Node* unknown = equation_node(root, context).find("unknown"))
    d.difference = Section(context, *unknown, "equation.unknown").truth("difference", false);
  if (kind.unknown == "temperature") {
    if (!d.unknown.same_dimension(Unit::of("K")))
      throw CaseError(equation_node(root, context).find("unknown")->place.text(), "equation.unknown.unit",
                      "the unknown is a temperature, which '" + d.unknown.text() + "' does not measure");
    d.storage = Unit::of("J/m^3/K");
    d.unknown = Unit::of("K");
  } else if (kind.has_soil) {
    if (context.dimensional && !d.unknown.same_dimension(length)) d.unknown = d.shown = length;
    d.storage = Unit::of("1/m");
  } else if (const Node* content =
                 kind.has_content ? equation_node(root, context).find("content") : nullptr) {
    if (const auto unit = unit_written(context, *content)) d.storage = *unit / d.unknown;
  } else if (const Node* storage =
                 equation_node(root, context).find(kind.second_order ? "density" : "storage")) {
    if (const auto unit = unit_written(context, *storage)) d.storage = *unit;
  }
  // [source] = [storage·u/t], [conductivity] = [source·L²/u]; waves have t² instead of t
  d.waves = kind.second_order;
  const Unit beat = d.waves ? time * time : time;
  d.source = d.storage * d.unknown / beat;
  d.conductivity = d.storage * length.power(2) / beat;
  d.rate = d.unknown / time;
  d.impedance = d.storage * length / time;
  d.flux = d.source * length;
  d.gradient = d.unknown / length;
  d.exchange = d.flux / d.unknown;
  if (kind.unknown == "temperature") {
    // The same dimensions by the names that people know.
    d.source = Unit::of("W/m^3");
    d.conductivity = Unit::of("W/m/K");
    d.flux = Unit::of("W/m^2");
    d.exchange = Unit::of("W/m^2/K");
  }
  return d;
}

namespace {

// A formula of u, in SI; { formula, unit } gives its result a unit, u_unit says what u is in it.
void read_reaction(const Context& context, const Section& section, const Dimensions& dimensions,
                   Equation& equation, std::vector<std::pair<std::string, Value>>& shown) {
  const Node& node = *section.find("reaction");
  Words variables = context.variables;
  variables.insert(variables.end(), {"t", "u"});
  const WrittenFormula written = read_written_formula(
      context, node, section.key_path("reaction"),
      {dimensions.source, false, "an amount per volume and time"}, variables, dimensions.in_formulas());
  Reaction reaction = reaction_of(written.expression);
  shown.push_back(
      {"reaction",
       {Function(NAN), written.text + (reaction.linear ? "  (linear in u)" : "  (not linear in u)"), ""}});
  equation.reaction = std::move(reaction);
}

void read_points(const Context& context, const Node& list, const Dimensions& dimensions, const Grid& grid,
                 Equation& equation) {
  if (!list.is_array())
    throw CaseError(list.place.text(), "equation.points", "a list is needed here, [{ name, at, rate }, ..]");
  for (const Node& item : list.array()) {
    const Section point(context, item, "equation.points");
    point.allow({"name", "at", "rate"}, {});
    point.need("name", "a name for the point");
    PointSource source;
    source.name = point.word("name", "");
    if (source.name.empty() || source.name.find_first_of(",\"\n") != std::string::npos)
      point.fail("name", "a name without commas and quotation marks is needed here");
    if (std::ranges::find(equation.points, source.name, &PointSource::name) != equation.points.end())
      point.fail("name", "two points are called '" + source.name + "'");
    source.at = read_point(context, point.need("at", "the point's place"), point.key_path("at"), grid);
    Unit unit = dimensions.source * Unit::of("m").power(grid.volume_dimension());
    for (const char* known : {"W", "W/m", "W/m^2"})
      if (unit.same_dimension(Unit::of(known))) unit = Unit::of(known);
    const Expected expected{
        unit, false,
        (dimensions.waves ? "a force" : "an amount per time") +
            std::string(grid.volume_dimension() == 3
                            ? ""
                            : " (for each " +
                                  std::string(grid.volume_dimension() == 2 ? "metre" : "square metre") +
                                  " of what the grid leaves out)")};
    source.rate =
        read_value(context, point.need("rate", expected.name), point.key_path("rate"), expected, {"t"})
            .function;
    if (!context.regions->keeps(context.regions->label(source.at)))
      point.fail("at", "lies in " + context.regions->name_of(context.regions->label(source.at)) +
                           ", which is inactive");
    equation.points.push_back(std::move(source));
  }
}

}  // namespace

void read_contacts(const Context& context, const Node& root, const Dimensions& dimensions,
                   Equation& equation) {
  const Node* list = root.find("contact");
  if (!list) return;
  if (!list->is_array()) throw CaseError(list->place.text(), "contact", "write [[contact]], once for each");
  for (const Node& item : list->array()) {
    const Section contact(context, item, "contact");
    contact.allow({"between", "resistance"}, {});
    const Node& names = contact.need(
        "between", "two regions, [\"a\", \"b\"]; \"default\" stands for places outside all regions");
    if (!names.is_array() || names.array().size() != 2 || !names.array()[0].is_text() ||
        !names.array()[1].is_text())
      contact.fail("between", "two regions are needed here, [\"a\", \"b\"]");
    std::array<int, 2> labels{};
    for (std::size_t n = 0; n < 2; ++n) {
      const std::string& name = names.array()[n].text();
      const Index found = context.regions->find(name);
      if (name != "default" && found < 0) contact.fail("between", "there is no region called '" + name + "'");
      labels[n] = static_cast<int>(found) + 1;
    }
    Unit unit = Unit() / dimensions.exchange;
    if (unit.same_dimension(Unit::of("m^2 K/W"))) unit = Unit::of("m^2 K/W");
    const Real resistance =
        read_number(context, contact.need("resistance", "a resistance of a unit of area"),
                    contact.key_path("resistance"), {unit, false, "a contact resistance"});
    if (!(resistance >= 0)) contact.fail("resistance", "must not be below zero");
    equation.contacts.push_back({labels[0], labels[1], resistance});
  }
}

namespace {

// The medium of a wave may be taken point by point.
Equation make_equation(const Section& section, const EquationKind& kind,
                       const std::vector<std::vector<Function>>& coefficients) {
  if (!kind.second_order) return kind.make(coefficients);
  const bool system =
      section.choice("form", "second-order", {"second-order", "first-order"}, {}) == "first-order";
  const std::string medium =
      section.choice("medium", "conservative", {"conservative", "non-conservative"}, {});
  if (section.has("speed") == section.has("tension"))
    section.fail(section.has("speed") ? "speed" : "kind",
                 "a wave needs its speed, or tension and density, and not both");
  if (section.has("density") && !section.has("tension"))
    section.fail("density", "needs tension; with speed alone the density has no effect");
  if (system && medium == "non-conservative")
    section.fail("medium", "\"non-conservative\" belongs to form second-order");
  if (medium == "conservative") {
    Equation equation = kind.make(coefficients);
    equation.as_system = system;
    return equation;
  }
  if (!section.has("speed"))
    section.fail("medium", "\"non-conservative\" takes the speed, not tension and density");
  return wave_non_conservative(coefficients[0][0], coefficients[3][0], coefficients[4][0]);
}

}  // namespace

Equation read_equation(const Context& context, const Node& root, const Grid& grid, const EquationKind& kind,
                       const Dimensions& dimensions, std::vector<std::pair<std::string, Value>>& shown) {
  const Node& node = equation_node(root, context);
  const Section section(context, node, "equation");
  Words known{"kind", "unknown"};
  for (const auto& k : kind.keys) known.push_back(k.name);
  known.push_back("points");
  if (!kind.second_order && !kind.several_unknowns) known.push_back("reaction");
  if (kind.second_order) known.insert(known.end(), {"medium", "form"});
  if (kind.has_velocity || kind.several_unknowns) known.insert(known.end(), {"velocity", "form"});
  if (kind.has_flux) known.push_back("flux");
  for (const std::string& key : keys_of_soil(kind)) known.push_back(key);
  for (const auto& other : equation_kinds())
    for (const auto& k : other.keys)
      if (std::ranges::find(known, k.name) == known.end())
        if (section.has(k.name))
          section.fail(k.name, "does not belong to kind '" + kind.name + "', whose keys are " +
                                   listed({known.begin() + 2, known.end()}, "and"));
  section.allow(known, {});

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
    const bool may_vanish = key.coefficient == Coefficient::damping ||
                            ((kind.has_velocity || kind.has_flux || kind.several_unknowns) &&
                             key.coefficient == Coefficient::diffusivity);
    // What a source of a system makes of the unknowns is their reaction.
    const bool of_unknown = !kind.second_order && key.coefficient != Coefficient::density &&
                            !(kind.several_unknowns && is_source);
    const UnknownInFormulas u = dimensions.in_formulas();
    const bool stores = key.coefficient == Coefficient::density || key.coefficient == Coefficient::storage ||
                        key.coefficient == Coefficient::heat_capacity;
    const auto read = [&](const Node& n, const std::string& path) {
      Words variables = context.variables;
      variables.push_back("t");
      const Value v = read_value(context, n, path, expected, variables, of_unknown ? &u : nullptr);
      if (stores && v.function.depends_on_time())
        throw CaseError(n.place.text(), path,
                        "must not depend on time: the stored amount would not be conserved");
      for (int label = 0; !is_source && label <= (v.function.regions() ? context.regions->size() : 0);
           ++label)
        if (const Function& part = v.function.part(label); part.is_constant() && !(part(Point{}) > 0))
          if (!may_vanish || part(Point{}) != 0)
            throw CaseError(n.place.text(), path,
                            may_vanish ? "must not be below zero" : "must be above zero");
      if (kind.second_order && !is_source && v.function.depends_on_time())
        throw CaseError(n.place.text(), path, "must not depend on time");
      return v;
    };
    if (key.each_axis && is_by_axis(*given)) {
      const Section by_axis(context, *given, section.key_path(key.name));
      by_axis.allow(context.variables, {});
      functions.assign(3, Function(1.0));
      for (const auto& axis : context.variables) {
        const Value v = read(by_axis.need(axis, "one for each axis"), by_axis.key_path(axis));
        functions[direction_of(axis)] = v.function;
        shown.emplace_back(key.name + "." + axis, v);
      }
    } else {
      const Value v = read(*given, section.key_path(key.name));
      functions.assign(count, v.function);
      shown.emplace_back(key.name, v);
    }
  }
  Equation equation = make_equation(section, kind, coefficients);
  read_soil(context, root, section, kind, grid, dimensions, coefficients, equation, shown);
  read_advection(context, section, kind, dimensions, equation, shown);
  if (section.has("reaction")) read_reaction(context, section, dimensions, equation, shown);
  if (const Node* points = section.find("points")) read_points(context, *points, dimensions, grid, equation);
  if (const Node* unknown = section.find("unknown")) {
    const Section naming(context, *unknown, "equation.unknown");
    naming.allow({"name", "unit", "difference"}, {});
    equation.unknown = naming.word("name", equation.unknown);
    if (equation.unknown.empty() || std::ranges::any_of(equation.unknown, [](char c) {
          return !(std::isalnum(static_cast<unsigned char>(c)) || c == '_' || c == '-');
        }))
      naming.fail("name", "a name of letters, digits, '_' and '-' is needed here");
  }
  return equation;
}

}  // namespace williwaw::casefile
