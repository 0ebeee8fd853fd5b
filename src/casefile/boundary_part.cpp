#include <fmt/format.h>

#include <algorithm>

#include "parts.hpp"

namespace williwaw::casefile {

namespace {

const Words later_conditions{"diffusive_flux", "outflow", "free",   "fixed",     "absorbing",
                             "driven",         "force",   "impedance", "free-drainage", "seepage"};

Expected expected_for(Quantity quantity, const Dimensions& d) {
  switch (quantity) {
    case Quantity::unknown:
      return {d.unknown, false, "a value of the unknown"};
    case Quantity::flux:
      return {d.flux, false, "a flux"};
    case Quantity::gradient:
      return {d.gradient, true, "a gradient"};
    case Quantity::share:
      return {Unit(), false, "a plain number"};
    case Quantity::exchange:
      break;
  }
  return {d.exchange, false, "an exchange coefficient"};
}

std::string sentence_of(const WallKind& kind, const std::string& unknown, const std::vector<Value>& values) {
  std::string result = kind.sentence;
  const auto put = [&](const std::string& mark, const std::string& text) {
    if (const auto at = result.find(mark); at != std::string::npos) result.replace(at, mark.size(), text);
  };
  put("{u}", unknown);
  for (std::size_t i = 0; i < values.size(); ++i) put("{" + std::to_string(i) + "}", values[i].text);
  return result;
}

struct ReadWall {
  Wall wall;
  std::string text;
};

class BoundaryReader {
 public:
  BoundaryReader(const Context& context, const Dimensions& dimensions, const std::string& unknown)
      : context_(context), dimensions_(dimensions), unknown_(unknown), variables_(context.variables) {
    variables_.push_back("t");
    for (const auto& kind : wall_kinds()) (kind.arguments.empty() ? words_ : keys_).push_back(kind.name);
    words_.push_back("periodic");
  }

  ReadWall read(const Node& node, const std::string& path) const {
    if (node.is_text()) return from_word(node, path);
    const Section section(context_, node, path);
    section.allow(keys_, later_conditions);
    if (node.table().empty()) throw CaseError(node.place.text(), path, "no condition is given");
    ReadWall result;
    for (const auto& e : node.table()) {
      const WallKind& kind = wall_kind(e.key);
      const std::vector<Value> values = arguments(kind, *e.node, section.key_path(e.key));
      std::vector<Function> functions;
      for (const auto& v : values) functions.push_back(v.function);
      try {
        result.wall = result.wall + Wall(kind.make(functions));
      } catch (const InputError& error) {
        throw CaseError(e.node->place.text(), section.key_path(e.key), error.what());
      }
      result.text += (result.text.empty() ? "" : " + ") + sentence_of(kind, unknown_, values);
    }
    return result;
  }

 private:
  ReadWall from_word(const Node& node, const std::string& path) const {
    const std::string& word = node.text();
    if (std::ranges::find(keys_, word) != keys_.end())
      throw CaseError(node.place.text(), path, fmt::format("'{}' needs a value: {{ {} = .. }}", word, word));
    if (std::ranges::find(words_, word) == words_.end()) {
      Words all = words_;
      all.insert(all.end(), keys_.begin(), keys_.end());
      refuse_word(node.place.text(), path, "condition", word, all, later_conditions);
    }
    if (word == "periodic") return {};
    const WallKind& kind = wall_kind(word);
    return {Wall(kind.make({})), sentence_of(kind, unknown_, {})};
  }

  std::vector<Value> arguments(const WallKind& kind, const Node& node, const std::string& path) const {
    if (kind.arguments.empty())
      throw CaseError(node.place.text(), path, fmt::format("takes no value: write \"{}\"", kind.name));
    std::vector<Value> values;
    if (kind.arguments.size() == 1) {
      values.push_back(value(node, path, kind.arguments[0].quantity));
      return values;
    }
    const Section section(context_, node, path);
    Words keys;
    for (const auto& a : kind.arguments) keys.push_back(a.key);
    section.allow(keys, {});
    for (const auto& a : kind.arguments) {
      const Expected expected = expected_for(a.quantity, dimensions_);
      values.push_back(value(section.need(a.key, expected.name), section.key_path(a.key), a.quantity));
    }
    return values;
  }

  Value value(const Node& node, const std::string& path, Quantity quantity) const {
    const Expected expected = expected_for(quantity, dimensions_);
    const Value v = read_value(context_, node, path, expected, variables_);
    if (quantity == Quantity::exchange && v.function.is_constant() && !(v.function(Point{}) >= 0))
      throw CaseError(node.place.text(), path, "must not be below zero");
    return v;
  }

  const Context& context_;
  const Dimensions& dimensions_;
  const std::string& unknown_;
  Words variables_, keys_, words_;
};

}  // namespace

void read_boundary(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  Problem& problem = result.problem;
  const Grid& grid = problem.grid();
  Words sides;
  for (const Side side : grid.sides()) sides.push_back(grid.side_name(side));
  const Node* node = root.find("boundary");
  if (!node)
    throw CaseError(context.file, "boundary",
                    "missing; say what acts on " + listed(sides, "and") + ", or give a default");
  const Section section(context, *node, "boundary");
  Words known = sides;
  known.push_back("default");
  // A side of another rank is no misspelling: say which sides there are.
  for (const auto& e : node->table())
    for (const char* any : {"west", "east", "south", "north", "bottom", "top"})
      if (e.key == any && std::ranges::find(sides, e.key) == sides.end())
        section.fail(e.key, "this grid has no such side; its sides are " + listed(sides, "and"));
  section.allow(known, {"corners", "part", "inner", "outer"});
  const BoundaryReader reader(context, dimensions, problem.equation().unknown);
  for (const Side side : grid.sides()) {
    const std::string name = grid.side_name(side);
    const Node* given = section.find(name);
    const std::string path = given ? section.key_path(name) : section.key_path("default");
    if (!given) given = section.find("default");
    if (!given)
      throw CaseError(
          node->place.text(), section.key_path(name),
          "nothing is said of this side; give it a condition, or a default for all sides not named");
    if (problem.periodic(side)) {
      result.walls[side.number()] = "periodic: joined to " + grid.side_name({side.axis, !side.upper});
      continue;
    }
    ReadWall wall = reader.read(*given, path);
    problem.wall(name, wall.wall);
    result.walls[side.number()] = wall.text;
  }
}

void read_initial(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("initial");
  if (!node) throw CaseError(context.file, "initial", "missing; a case needs [initial] with a value");
  const Section section(context, *node, "initial");
  section.allow({"value"}, {"rate", "walls"});
  result.initial = read_value(context, section.need("value", "the unknown at the start"), "initial.value",
                              {dimensions.unknown, false, "a value of the unknown"}, context.variables);
  result.problem.initial = result.initial.function;
  result.initial_place = section.find("value")->place.text();
}

}  // namespace williwaw::casefile
