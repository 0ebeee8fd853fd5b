#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"
#include "williwaw/grid/field_operations.hpp"

namespace williwaw::casefile {

namespace {

Expected expected_for(const Quantity& quantity, const Dimensions& d) {
  if (quantity.is_value()) return d.a_value();
  if (quantity.is_number()) return {Unit(), false, quantity.name};
  Unit unit = d.unknown.power(quantity.unknown) * d.flux.power(quantity.flux) *
              Unit::of("m").power(quantity.length) * Unit::of("s").power(quantity.time);
  // The same dimension by the name that people know.
  for (const Unit* known : {&d.flux, &d.exchange})
    if (unit.same_dimension(*known)) unit = *known;
  return {unit, quantity.unknown > 0, quantity.name};
}

std::string sentence_of(const BoundaryConditionKind& kind, const std::string& unknown,
                        const std::vector<Value>& all) {
  std::string result = kind.sentence, key, how;
  std::vector<Value> values;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const auto& argument = kind.arguments[i];
    // What was not given has no text.
    if (all[i].text.empty()) continue;
    values.push_back(all[i]);
    key = argument.key;
    how += (how.empty() ? ", " : " and ") + argument.key + " " + all[i].text;
    how += argument.quantity.counted;
  }
  const auto put = [&](const std::string& mark, const std::string& text) {
    if (const auto at = result.find(mark); at != std::string::npos) result.replace(at, mark.size(), text);
  };
  put("{u}", unknown);
  put("{key}", key);
  put("{how}", how);
  for (std::size_t i = 0; i < values.size(); ++i) put("{" + std::to_string(i) + "}", values[i].text);
  return result;
}

struct ReadBoundary {
  Boundary boundary;
  std::string text;
};

std::string out_of_range(const Quantity& quantity) {
  const std::string lowest = to_text(quantity.lowest), highest = to_text(quantity.highest);
  if (std::isinf(quantity.highest)) return "must not be below " + (quantity.lowest == 0 ? "zero" : lowest);
  if (std::isinf(quantity.lowest)) return "must not be above " + highest;
  return "must lie between " + lowest + " and " + highest;
}

class BoundaryReader {
 public:
  BoundaryReader(const Context& context, const Dimensions& dimensions, const Equation& equation)
      : context_(context),
        dimensions_(dimensions),
        unknown_(equation.unknown),
        of_gravity_(equation.diffusion.upward.has_value()),
        variables_(context.variables) {
    variables_.push_back("t");
    for (const auto& kind : boundary_condition_kinds()) {
      if (kind.arguments.empty() || kind.alone) words_.push_back(kind.name);
      if (!kind.arguments.empty()) keys_.push_back(kind.name);
    }
    words_.push_back("periodic");
  }

  ReadBoundary read(const Node& node, const std::string& path) const {
    if (node.is_text()) return from_word(node, path);
    const Section section(context_, node, path);
    section.allow(keys_, {});
    if (node.table().empty()) throw CaseError(node.place.text(), path, "no condition is given");
    ReadBoundary result;
    for (const auto& e : node.table()) {
      const BoundaryConditionKind& kind = boundary_condition_kind(e.key);
      refuse_foreign(kind, *e.node, section.key_path(e.key));
      if (kind.needs_kelvin && !(context_.dimensional && dimensions_.unknown.same_dimension(Unit::of("K"))))
        throw CaseError(e.node->place.text(), section.key_path(e.key),
                        "needs temperatures with a unit: it counts from absolute zero");
      const std::vector<Value> values = arguments(kind, *e.node, section.key_path(e.key));
      std::vector<Function> functions;
      for (const auto& v : values) functions.push_back(v.function);
      try {
        result.boundary = result.boundary + Boundary(kind.make(functions));
      } catch (const InputError& error) {
        throw CaseError(e.node->place.text(), section.key_path(e.key), error.what());
      }
      result.text += (result.text.empty() ? "" : " + ") + sentence_of(kind, unknown_, values);
    }
    return result;
  }

 private:
  ReadBoundary from_word(const Node& node, const std::string& path) const {
    const std::string& word = node.text();
    if (std::ranges::find(keys_, word) != keys_.end() && std::ranges::find(words_, word) == words_.end())
      throw CaseError(node.place.text(), path, fmt::format("'{}' needs a value: {{ {} = .. }}", word, word));
    if (std::ranges::find(words_, word) == words_.end()) {
      suggest_condition(node, path);
      Words all = words_;
      // Some stand as a word and with a value.
      std::ranges::copy_if(keys_, std::back_inserter(all), [&](const std::string& key) {
        return std::ranges::find(words_, key) == words_.end();
      });
      refuse_word(node.place.text(), path, "condition", word, all, {});
    }
    if (word == "periodic") return {};
    const BoundaryConditionKind& kind = boundary_condition_kind(word);
    refuse_foreign(kind, node, path);
    std::vector<Function> functions;
    for (const auto& a : kind.arguments) functions.emplace_back(a.otherwise.value_or(0));
    return {Boundary(kind.make(functions)), sentence_of(kind, unknown_, {})};
  }

  // west = "75 degC": a value where a condition is needed.
  void suggest_condition(const Node& node, const std::string& path) const {
    const auto measured = split_measured(node.text());
    const auto constant = context_.constants.find(node.text());
    const auto unit = measured                               ? Unit::parse(measured->unit)
                      : constant != context_.constants.end() ? constant->second.unit
                                                             : std::nullopt;
    if (!unit) return;
    const bool flux = unit->same_dimension(dimensions_.flux) && !unit->same_dimension(dimensions_.unknown);
    throw CaseError(node.place.text(), path,
                    fmt::format("'{0}' is a value, and a condition is needed here: {{ {1} = \"{0}\" }}",
                                node.text(), flux ? "flux" : "dirichlet"));
  }

  void refuse_foreign(const BoundaryConditionKind& kind, const Node& node, const std::string& path) const {
    if (kind.of_waves && !dimensions_.waves)
      throw CaseError(
          node.place.text(), path,
          fmt::format("'{}' is a condition of waves; this equation is of first order in time", kind.name));
    if (kind.of_gravity && !of_gravity_)
      throw CaseError(
          node.place.text(), path,
          fmt::format("'{}' needs gravity: give equation.gravity, as in kind \"unsaturated\"", kind.name));
    if (kind.needs_kelvin && dimensions_.waves)
      throw CaseError(node.place.text(), path, fmt::format("'{}' has no meaning for a wave", kind.name));
  }

  std::vector<Value> arguments(const BoundaryConditionKind& kind, const Node& node,
                               const std::string& path) const {
    if (kind.arguments.empty())
      throw CaseError(node.place.text(), path, fmt::format("takes no value: write \"{}\"", kind.name));
    std::vector<Value> values;
    if (kind.arguments.size() == 1) {
      values.push_back(value(node, path, kind.arguments[0].quantity, kind.of_unknown));
      return values;
    }
    const Section section(context_, node, path);
    Words keys;
    for (const auto& a : kind.arguments) keys.push_back(a.key);
    section.allow(keys, {});
    std::size_t given = 0;
    for (const auto& a : kind.arguments) given += section.has(a.key) ? 1 : 0;
    if (kind.one_of && given != 1)
      throw CaseError(node.place.text(), path, "give one of " + listed(keys, "and"));
    for (const auto& a : kind.arguments) {
      const Expected expected = expected_for(a.quantity, dimensions_);
      if (!section.has(a.key) && (kind.one_of || a.otherwise)) {
        values.push_back({Function(a.otherwise.value_or(NAN)), "", ""});
        continue;
      }
      if (a.quantity.whole) {
        const Index whole = section.whole(a.key, 1);
        values.push_back({Function(static_cast<Real>(whole)), std::to_string(whole), ""});
        continue;
      }
      values.push_back(
          value(section.need(a.key, expected.name), section.key_path(a.key), a.quantity, kind.of_unknown));
    }
    return values;
  }

  Value value(const Node& node, const std::string& path, const Quantity& quantity, bool of_unknown) const {
    const Expected expected = expected_for(quantity, dimensions_);
    const UnknownInFormulas u = dimensions_.in_formulas();
    Value v = read_value(context_, node, path, expected, variables_,
                         of_unknown && !dimensions_.waves ? &u : nullptr);
    const Real number = v.function.is_constant() ? v.function(Point{}) : quantity.lowest;
    if (!(number >= quantity.lowest && number <= quantity.highest))
      throw CaseError(node.place.text(), path, out_of_range(quantity));
    return v;
  }

  const Context& context_;
  const Dimensions& dimensions_;
  const std::string& unknown_;
  bool of_gravity_;
  Words variables_, keys_, words_;
};

}  // namespace

namespace {

// [[boundary.part]]: name, side or touching, where, and conditions.
void read_part(const Context& context, const Node& item, const BoundaryReader& reader, Case& result) {
  const Section section(context, item, "boundary.part");
  Words keys{"name", "side", "touching", "where"};
  for (const auto& kind : boundary_condition_kinds()) keys.push_back(kind.name);
  section.allow(keys, {});
  section.need("name", "a name for the part");
  BoundaryPart part;
  part.name = section.word("name", "");
  part.side = section.word("side", "");
  part.touching = section.word("touching", "");
  if (section.has("where")) {
    try {
      part.where = compile_where(section.word("where", ""), context.values(), context.variables);
    } catch (const InputError& e) {
      section.fail("where", e.what());
    }
  }
  Node conditions = item;
  std::erase_if(std::get<Node::Table>(conditions.value), [](const Entry& e) {
    return e.key == "name" || e.key == "side" || e.key == "touching" || e.key == "where";
  });
  // A kind without arguments stands as NAME = true.
  if (conditions.table().size() == 1 && std::holds_alternative<bool>(conditions.table()[0].node->value))
    conditions.value = conditions.table()[0].key;
  const ReadBoundary boundary = reader.read(conditions, "boundary.part");
  part.boundary = boundary.boundary;
  const std::string of = !part.side.empty()       ? part.side
                         : !part.touching.empty() ? "beside " + part.touching
                                                  : "all sides";
  result.boundaries.push_back({part.name, boundary.text + "   (part of " + of + ")"});
  result.places.add(Subject::boundary, {item.place.text(), "boundary.part"}, part.name);
  try {
    result.problem.part(std::move(part));
  } catch (const InputError& e) {
    throw CaseError(item.place.text(), "boundary.part", e.what());
  }
}

void read_corners(const Section& section, const Words& sides, Case& result) {
  const Node* node = section.find("corners");
  if (!node) return;
  if (node->is_text() && node->text() == "mean") return;
  if (!node->is_array())
    section.fail("corners", "\"mean\", or a list of sides of which the first wins, is needed here");
  for (const Node& item : node->array()) {
    if (!item.is_text()) section.fail("corners", "names of sides are needed here");
    if (std::ranges::find(sides, item.text()) == sides.end())
      refuse_word(item.place.text(), "boundary.corners", "side", item.text(), sides, {});
    result.problem.corners.push_back(item.text());
  }
}

}  // namespace

void read_boundary(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  Problem& problem = result.problem;
  const Grid& grid = problem.grid();
  Words sides, named;
  for (const Side side : grid.sides()) sides.push_back(grid.side_name(side));
  named = sides;
  for (Index r = 0; r < problem.regions().size(); ++r)
    if (!problem.regions()[r].active) named.push_back(problem.regions()[r].name);
  const Node* node = root.find("boundary");
  if (!node)
    throw CaseError(context.file, "boundary",
                    "missing; give a condition for " + listed(named, "and") + ", or give a default");
  const Section section(context, *node, "boundary");
  Words known = named;
  known.insert(known.end(), {"default", "corners", "part"});
  // A side of another dimension is no misspelling: say which sides there are.
  for (const auto& e : node->table())
    for (const char* any : {"west", "east", "south", "north", "bottom", "top", "inner", "outer"})
      if (e.key == any && std::ranges::find(sides, e.key) == sides.end())
        section.fail(e.key, "this grid has no such side; its sides are " + listed(sides, "and"));
  for (Index r = 0; r < problem.regions().size(); ++r)
    if (const Region& region = problem.regions()[r]; region.active && section.has(region.name))
      section.fail(region.name, "region '" + region.name + "' is active and has no boundary faces");
  section.allow(known, {});
  const BoundaryReader reader(context, dimensions, problem.equation());
  const Node* parts = section.find("part");
  for (const std::string& name : named) {
    const auto side = grid.side(name);
    const Node* given = section.find(name);
    const std::string path = given ? section.key_path(name) : section.key_path("default");
    if (!given) given = section.find("default");
    if (!given) {
      // Parts may cover all of it; the faces they leave are found when boundaries are laid out.
      if (parts) continue;
      throw CaseError(node->place.text(), section.key_path(name),
                      "no condition; give one, or a default for all sides not named");
    }
    if (side && problem.periodic(*side)) {
      result.boundaries.push_back(
          {name, "periodic: joined to " + grid.side_name({side->axis, !side->upper})});
      continue;
    }
    ReadBoundary boundary = reader.read(*given, path);
    if (!side && boundary.boundary.empty()) section.fail(name, "a cut-out cannot be periodic");
    problem.boundary(name, boundary.boundary);
    result.boundaries.push_back({name, boundary.text});
    result.places.add(Subject::boundary, {given->place.text(), path}, name);
  }
  if (parts) {
    if (!parts->is_array()) section.fail("part", "write [[boundary.part]], once for each");
    for (const Node& item : parts->array()) read_part(context, item, reader, result);
  }
  read_corners(section, named, result);
}

}  // namespace williwaw::casefile
