// Equations whose storage and conductivity follow curves of the unknown: soils, gravity, content, phase
// change.
#include "williwaw/problem/soil.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"
#include "williwaw/problem/content.hpp"

namespace williwaw::casefile {

namespace {

using Shown = std::vector<std::pair<std::string, Value>>;

// { default = "a", region = "b" }, or one for all places: `read` makes something of each.
template <class Made, class Read>
std::vector<Made> by_region(const Context& context, const Node& node, const std::string& path,
                            const Read& read) {
  if (!node.is_table() || !node.find("default")) return {read(node, path)};
  const Section section(context, node, path);
  Words known{"default"};
  for (Index r = 0; r < context.regions->size(); ++r) known.push_back((*context.regions)[r].name);
  section.allow(known, {});
  std::vector<Made> result;
  for (const std::string& name : known) {
    const std::string key = section.has(name) ? name : "default";
    result.push_back(read(*section.find(key), section.key_path(key)));
  }
  return result;
}

Function joined(const Context& context, std::vector<Function> parts) {
  return parts.size() == 1 ? parts.front() : Function::by_region(context.regions, std::move(parts));
}

// The tables [soil.NAME], those of an included file first.
std::map<std::string, const Node*> soils_of(const Context& context, const Node& root, Node& included) {
  std::map<std::string, const Node*> result;
  const Node* soils = root.find("soil");
  if (!soils) return result;
  const Section section(context, *soils, "soil");
  const auto take = [&](const Node& table) {
    for (const auto& e : table.table())
      if (e.key != "include") result[e.key] = e.node.get();
  };
  if (section.has("include")) {
    const std::string name = section.word("include", "");
    included = parse_toml(read_text(context.folder / name, section.find("include")->place.text(),
                                    "soil.include: '" + name + "'"),
                          name);
    const Node* inner = included.find("soil");
    take(inner ? *inner : included);
  }
  take(*soils);
  return result;
}

class SoilReader {
 public:
  SoilReader(const Context& context, const Node& root, const Dimensions& dimensions)
      : context_(context), dimensions_(dimensions), soils_(soils_of(context, root, included_)) {}

  /// What the name of a soil stands for.
  Soil read(const Node& node, const std::string& path) const {
    if (!node.is_text()) throw CaseError(node.place.text(), path, "the name of a soil is needed here");
    const auto found = soils_.find(node.text());
    if (found == soils_.end()) {
      Words names;
      for (const auto& [name, table] : soils_) names.push_back(name);
      if (names.empty())
        throw CaseError(node.place.text(), path,
                        fmt::format("there is no [soil.{}] in this case", node.text()));
      refuse_word(node.place.text(), path, "soil", node.text(), names, {});
    }
    if (!found->second->is_table())
      throw CaseError(found->second->place.text(), "soil." + found->first,
                      "a table [soil.NAME] is needed here");
    return of_table(*found->second, "soil." + found->first);
  }

 private:
  Soil of_table(const Node& node, const std::string& path) const {
    const Section section(context_, node, path);
    Words models;
    for (const SoilModel& model : soil_models()) models.push_back(model.name);
    models.push_back("curve");
    section.need("model", "the model of the material: " + listed(models));
    const std::string name = section.choice("model", "", models, {});
    if (name == "curve") {
      section.allow({"model", "content", "conductivity"}, {});
      return {curve(section, "content", {Unit(), false, "a content"}),
              curve(section, "conductivity", {dimensions_.conductivity, false, "a conductivity"})};
    }
    const SoilModel& model = soil_model(name);
    Words known{"model", "residual", "saturated", "conductivity", "specific_storage"};
    for (const auto& key : model.keys) known.push_back(key.name);
    section.allow(known, {});
    const auto number = [&](const std::string& key, const Expected& expected, std::optional<Real> otherwise) {
      if (!section.has(key) && otherwise) return *otherwise;
      return read_number(context_, section.need(key, expected.name), section.key_path(key), expected);
    };
    std::map<std::string, Real> numbers;
    for (const auto& key : model.keys) {
      const Expected expected{Unit::of("m").power(key.length), false,
                              key.length == 0  ? "a plain number"
                              : key.length > 0 ? "a length"
                                               : "one over a length"};
      numbers[key.name] = number(key.name, expected, key.otherwise);
      if (!(numbers[key.name] > key.lowest && numbers[key.name] < key.highest))
        section.fail(key.name, std::abs(key.highest) < 1e299
                                   ? fmt::format("must lie between {:g} and {:g}", key.lowest, key.highest)
                                   : fmt::format("must be above {:g}", key.lowest));
    }
    const Expected plain{Unit(), false, "a plain number"};
    SoilNumbers common;
    common.residual = number("residual", plain, 0.0);
    common.saturated = number("saturated", plain, std::nullopt);
    common.conductivity = number(
        "conductivity", {dimensions_.conductivity, false, "a conductivity at saturation"}, std::nullopt);
    common.specific_storage = number("specific_storage", {Unit::of("1/m"), false, "a specific storage"}, 0.0);
    try {
      return soil(model, numbers, common);
    } catch (const InputError& e) {
      throw CaseError(node.place.text(), path, e.what());
    }
  }

  Function curve(const Section& section, const std::string& key, const Expected& expected) const {
    const UnknownInFormulas u = dimensions_.in_formulas();
    return read_value(context_, section.need(key, expected.name + ", a formula of u"), section.key_path(key),
                      expected, context_.variables, &u)
        .function;
  }

  const Context& context_;
  const Dimensions& dimensions_;
  Node included_;
  std::map<std::string, const Node*> soils_;
};

// A side towards which things fall, or a vector.
Point upward_of(const Context& context, const Section& section, const Grid& grid) {
  const Node& node = *section.find("gravity");
  Point down;
  if (node.is_text()) {
    const auto side = grid.side(node.text());
    if (!side) {
      Words sides;
      for (const Side s : grid.sides()) sides.push_back(grid.side_name(s));
      refuse_word(node.place.text(), section.key_path("gravity"), "side", node.text(), sides, {});
    }
    down[grid.direction(side->axis)] = side->upper ? 1 : -1;
  } else {
    if (!node.is_array() || static_cast<int>(node.array().size()) != grid.dimension())
      section.fail("gravity", fmt::format("the name of a side, or a list of {} number{}, is needed here",
                                          grid.dimension(), grid.dimension() == 1 ? "" : "s"));
    for (int a = 0; a < grid.dimension(); ++a)
      down[grid.direction(a)] = read_number(context, node.array()[static_cast<std::size_t>(a)],
                                            section.key_path("gravity"), {Unit(), false, "a plain number"});
  }
  const Real size = std::hypot(down.x, down.y, down.z);
  if (!(size > 0)) section.fail("gravity", "a direction is needed here, not a vector of zeros");
  if (grid.axis(0).name() == "r" && down.x != 0)
    section.fail("gravity", "points along r, which is another direction everywhere; give it along z");
  return {-down.x / size, -down.y / size, -down.z / size};
}

std::string names_of_soils(const Node& node) {
  if (node.is_text()) return node.text();
  std::string result;
  for (const auto& e : node.table())
    if (e.node->is_text())
      result += (result.empty() ? "" : "; ") + (e.key == "default" ? "" : e.key + ": ") + e.node->text();
  return result;
}

}  // namespace

Words keys_of_soil(const EquationKind& kind) {
  Words result;
  if (kind.has_soil) result = {"soil", "content", "conductivity", "gravity", "specific_storage"};
  if (kind.has_content) result.push_back("content");
  if (kind.has_phase_change) result.push_back("phase_change");
  return result;
}

namespace {

Function read_content(const Context& context, const Section& section, const Dimensions& dimensions,
                      Shown& shown) {
  const UnknownInFormulas u = dimensions.in_formulas();
  Unit unit = dimensions.storage * dimensions.unknown;
  const Value v = read_value(context, *section.find("content"), section.key_path("content"),
                             {unit, false, "an amount in a unit of volume"}, context.variables, &u);
  if (!v.function.depends_on_unknown())
    section.fail("content", "does not depend on u: nothing could change what is stored");
  shown.emplace_back("content", v);
  return v.function;
}

void read_materials(const Context& context, const Node& root, const Section& section, const Grid& grid,
                    const Dimensions& dimensions, Equation& equation, Shown& shown) {
  if (section.has("soil")) {
    for (const char* key : {"content", "conductivity", "specific_storage"})
      if (section.has(key)) section.fail(key, "is the soil's: give soil, or content and conductivity");
    const SoilReader reader(context, root, dimensions);
    const Node& node = *section.find("soil");
    const auto soils =
        by_region<Soil>(context, node, section.key_path("soil"),
                        [&](const Node& n, const std::string& path) { return reader.read(n, path); });
    std::vector<Function> contents, conductivities;
    for (const Soil& one : soils) {
      contents.push_back(one.content);
      conductivities.push_back(one.conductivity);
    }
    equation.content = joined(context, std::move(contents));
    const Function k = joined(context, std::move(conductivities));
    equation.diffusion.coefficient = {k, k, k};
    shown.push_back({"soil", {Function(NAN), names_of_soils(node), ""}});
  } else {
    section.need("content", "soil, or content and conductivity as formulas of u");
    equation.content = read_content(context, section, dimensions, shown);
    const UnknownInFormulas u = dimensions.in_formulas();
    const Value k = read_value(context, section.need("conductivity", "the conductivity, a formula of u"),
                               section.key_path("conductivity"),
                               {dimensions.conductivity, false, "a conductivity"}, context.variables, &u);
    equation.diffusion.coefficient = {k.function, k.function, k.function};
    shown.emplace_back("conductivity", k);
    if (section.has("specific_storage")) {
      const Real more =
          read_number(context, *section.find("specific_storage"), section.key_path("specific_storage"),
                      {Unit::of("1/m"), false, "a specific storage"});
      if (!(more >= 0)) section.fail("specific_storage", "must not be below zero");
      equation.content =
          sum(*equation.content, Function::of_unknown([more](Real u_) { return u_ > 0 ? more * u_ : 0; },
                                                      [more](Real u_) { return u_ > 0 ? more : 0; }));
    }
  }
  if (section.has("gravity")) {
    equation.diffusion.upward = upward_of(context, section, grid);
    const Node& node = *section.find("gravity");
    shown.push_back({"gravity", {Function(NAN), node.is_text() ? "towards " + node.text() : "a vector", ""}});
  }
  equation.derived = derived_of_unsaturated(equation);
}

void read_phase_change(const Context& context, const Section& section, Equation& equation, Shown& shown,
                       const std::vector<std::vector<Function>>& coefficients) {
  const std::string path = section.key_path("phase_change");
  const Section table(context, *section.find("phase_change"), path);
  table.allow({"latent_heat", "temperature", "range", "fraction"}, {});
  PhaseChange change;
  const Value latent =
      read_value(context, table.need("latent_heat", "the heat that a unit of mass takes to thaw"),
                 table.key_path("latent_heat"), {Unit::of("J/kg"), false, "a latent heat"}, {});
  const Expected fraction{Unit(), false, "a fraction by mass"};
  const Value part = table.has("fraction") ? read_value(context, *table.find("fraction"),
                                                        table.key_path("fraction"), fraction, {})
                                           : Value{Function(1.0), "1", ""};
  for (int label = 0; label <= (part.function.regions() ? context.regions->size() : 0); ++label)
    if (const Real f = part.function.part(label)(Point{}); !(f >= 0 && f <= 1))
      table.fail("fraction", "must lie between 0 and 1");
  change.latent_heat = coefficients[1][0] * part.function * latent.function;
  change.temperature = read_number(context, table.need("temperature", "the temperature of freezing"),
                                   table.key_path("temperature"), {Unit::of("K"), false, "a temperature"});
  if (table.has("range"))
    change.range = read_number(context, *table.find("range"), table.key_path("range"),
                               {Unit::of("K"), true, "a difference of temperatures"});
  if (!(change.range >= 0)) table.fail("range", "must not be below zero");
  // At a point: over a range in which a ten-thousandth of the temperature that the latent heat stands for is
  // lost.
  if (change.range == 0) {
    const Real stored = equation.storage.part(0).at({}, 0, change.temperature),
               heat = change.latent_heat.part(0)(Point{});
    change.range = heat > 0 ? 1e-4 * heat / stored : 1e-3;
  }
  shown.push_back({"phase_change",
                   {Function(NAN),
                    fmt::format("latent heat {}, fraction {}, at {:.6g} K over {:.3g} K", latent.text,
                                part.text, change.temperature, change.range),
                    ""}});
  try {
    equation = with_phase_change(std::move(equation), change, change.temperature, change.temperature);
  } catch (const InputError& e) {
    throw CaseError(table.node().place.text(), path, e.what());
  }
}

}  // namespace

void read_soil(const Context& context, const Node& root, const Section& section, const EquationKind& kind,
               const Grid& grid, const Dimensions& dimensions,
               const std::vector<std::vector<Function>>& coefficients, Equation& equation, Shown& shown) {
  if (kind.has_soil) read_materials(context, root, section, grid, dimensions, equation, shown);
  if (kind.has_content && section.has("content")) {
    if (section.has("storage")) section.fail("storage", "is the derivative of content: give one of the two");
    equation.content = read_content(context, section, dimensions, shown);
  }
  if (kind.has_phase_change && section.has("phase_change"))
    read_phase_change(context, section, equation, shown, coefficients);
}

}  // namespace williwaw::casefile
