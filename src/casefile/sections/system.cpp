// kind = "system": what a case says of each of its unknowns, as a case of that unknown alone, and what all of
// them make of each other.
#include <fmt/format.h>

#include <algorithm>

#include "casefile/patch.hpp"
#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

namespace {

// Keys of [equation.unknowns.NAME] that concern all unknowns, and are read together.
const Words together{"reaction", "flux", "cross_diffusivity"};
const Words shared{"velocity", "form"};

const Node& unknowns_node(const Context& context, const Node& root) {
  const Section section(context, *root.find("equation"), "equation");
  section.allow({"kind", "unknowns", "velocity", "form", "vectors"}, {});
  return section.need("unknowns", "the unknowns of a system, [equation.unknowns.NAME] for each");
}

// Words that mean something else where a name of an unknown may stand.
std::string meaning_of(const Context& context, const Node& root, const std::string& name) {
  const auto is = [&](const Words& words) { return std::ranges::find(words, name) != words.end(); };
  if (is({"x", "y", "z", "r", "t"})) return "a coordinate";
  if (is({"value", "boundary_nodes", "rate", "from", "noise"})) return "a key of [initial]";
  if (is({"default", "corners", "part", "side", "touching", "where", "name"})) return "a key of [boundary]";
  if (is({"periodic", "sample"})) return "a word of case files";
  if (context.constants.contains(name) || common_constants().contains(name)) return "a constant";
  if (context.curves.contains(name)) return "a curve";
  if (formula_functions().contains(name) || name == "sum_over") return "a function of formulas";
  for (const auto& kind : boundary_condition_kinds())
    if (kind.name == name) return "a condition";
  if (const Node* region = root.find("region"); region && region->is_table() && region->find(name))
    return "a region";
  return "";
}

bool is_by_unknown(const Node& node, const Words& names) {
  return node.is_table() && std::ranges::any_of(node.table(), [&](const Entry& e) {
           return std::ranges::find(names, e.key) != names.end();
         });
}

Node& put(Node& table, const std::string& key, Node value) {
  erase_key(table, key);
  auto& entries = std::get<Node::Table>(table.value);
  entries.push_back({key, std::make_shared<Node>(std::move(value))});
  return *entries.back().node;
}

Node text_node(const std::string& text, const Place& place) {
  Node node;
  node.value = text;
  node.place = place;
  return node;
}

// The part of a table { NAME = .. } that belongs to one unknown; all of them must be there.
const Node& part_of(const Context& context, const Node& node, const std::string& path, const Words& names,
                    const std::string& name) {
  const Section section(context, node, path);
  section.allow(names, {});
  return section.need(name, "one for each unknown");
}

bool velocity_is_of_unknowns(const Node& equation, const Words& names) {
  const Node* velocity = equation.find("velocity");
  return velocity && velocity->is_array() && std::ranges::any_of(velocity->array(), [&](const Node& n) {
           return n.is_text() && std::ranges::find(names, n.text()) != names.end();
         });
}

Node equation_of(const Node& root, const Words& names, const std::string& name) {
  const Node& equation = *root.find("equation");
  const Node& own = *equation.find("unknowns")->find(name);
  Node result = own;
  for (const std::string& key : together) erase_key(result, key);
  put(result, "kind", *equation.find("kind"));
  Node called;
  called.value = Node::Table{};
  called.place = own.place;
  put(called, "name", text_node(name, own.place));
  for (const char* key : {"unit", "difference"})
    if (const Node* given = own.find(key)) {
      put(called, key, *given);
      erase_key(result, key);
    }
  put(result, "unknown", called);
  if (!velocity_is_of_unknowns(equation, names))
    for (const std::string& key : shared)
      if (const Node* given = equation.find(key)) put(result, key, *given);
  return result;
}

Node boundary_of(const Context& context, const Node& boundary, const Words& names, const std::string& name) {
  Node result = boundary;
  for (Entry& e : std::get<Node::Table>(result.value)) {
    if (e.key == "part" && e.node->is_array()) {
      Node parts = *e.node;
      for (Node& part : std::get<Node::Array>(parts.value)) {
        if (!is_by_unknown(part, names)) continue;
        const Section section(context, part, "boundary.part");
        const Node chosen = section.need(name, "one for each unknown");
        for (const std::string& other : names) erase_key(part, other);
        // A condition without values stands as NAME = true.
        if (chosen.is_text()) {
          Node yes = chosen;
          yes.value = true;
          put(part, chosen.text(), yes);
        } else if (chosen.is_table()) {
          for (const Entry& condition : chosen.table()) put(part, condition.key, *condition.node);
        }
      }
      e.node = std::make_shared<Node>(std::move(parts));
    } else if (is_by_unknown(*e.node, names)) {
      e.node = std::make_shared<Node>(part_of(context, *e.node, "boundary." + e.key, names, name));
    }
  }
  return result;
}

}  // namespace

bool is_name(const std::string& text, const std::string& others) {
  return !text.empty() && !std::isdigit(static_cast<unsigned char>(text.front())) &&
         std::ranges::all_of(text, [&](char c) {
           return std::isalnum(static_cast<unsigned char>(c)) || others.find(c) != std::string::npos;
         });
}

Words names_of_unknowns(const Context& context, const Node& root) {
  const Node* equation = root.find("equation");
  const Node* kind = equation && equation->is_table() ? equation->find("kind") : nullptr;
  if (!kind || !kind->is_text() || kind->text() != "system") return {};
  const Section section(context, unknowns_node(context, root), "equation.unknowns");
  Words names;
  for (const Entry& e : section.node().table()) {
    if (!is_name(e.key)) section.fail(e.key, "a name of letters, digits and '_' is needed here");
    if (const std::string meaning = meaning_of(context, root, e.key); !meaning.empty())
      section.fail(e.key, fmt::format("'{}' is {}: choose another name for the unknown", e.key, meaning));
    Section(context, *e.node, section.key_path(e.key))
        .allow({"unit", "difference", "diffusivity", "storage", "content", "source", "reaction", "flux",
                "points", "cross_diffusivity"},
               {});
    names.push_back(e.key);
  }
  if (names.empty()) section.fail("", "a system needs one unknown at least: [equation.unknowns.NAME]");
  return names;
}

Node case_of_unknown(const Context& context, const Node& root, const Words& names, const std::string& name) {
  Node result = root;
  put(result, "equation", equation_of(root, names, name));
  if (const Node* boundary = root.find("boundary"); boundary && boundary->is_table())
    put(result, "boundary", boundary_of(context, *boundary, names, name));
  if (const Node* initial = root.find("initial")) {
    const Section section(context, *initial, "initial");
    Words known = names;
    known.emplace_back("boundary_nodes");
    section.allow(known, {});
    Node own = section.need(name, "the unknown at the start, [initial." + name + "]");
    if (const Node* nodes = section.find("boundary_nodes"); nodes && own.is_table())
      put(own, "boundary_nodes", *nodes);
    put(result, "initial", own);
  }
  if (const Node* exact = root.find("exact")) {
    const Section section(context, *exact, "exact");
    section.allow(names, {});
    if (const Node* own = section.find(name))
      put(result, "exact", *own);
    else
      erase_key(result, "exact");
  }
  return result;
}

CaseError error_of_unknown(const Node& root, const std::string& name, const CaseError& e) {
  std::string key = e.key();
  const auto stands_below = [&](const std::string& section) {
    return key == section || key.starts_with(section + ".");
  };
  const auto replace = [&](const std::string& section, const std::string& by) {
    key = by + key.substr(section.size());
  };
  if (stands_below("equation.velocity") || stands_below("equation.form") || key == "equation.kind" ||
      key == "initial.boundary_nodes")
    return e;
  if (stands_below("equation.unknown"))
    replace("equation.unknown", "equation.unknowns." + name);
  else if (stands_below("equation"))
    replace("equation", "equation.unknowns." + name);
  else if (stands_below("initial") || stands_below("exact"))
    key.insert(key.find('.') == std::string::npos ? key.size() : key.find('.'), "." + name);
  else if (key.starts_with("boundary.")) {
    const std::string side = key.substr(9, key.find('.', 9) - 9);
    const Node* boundary = root.find("boundary");
    const Node* given = boundary && boundary->is_table() ? boundary->find(side) : nullptr;
    if (given && given->is_table() && given->find(name))
      replace("boundary." + side, "boundary." + side + "." + name);
  }
  return {e.place(), key, e.text()};
}

std::vector<Grid> grids_of_unknowns(const Context& context, const Node& root, const Words& names,
                                    const Grid& grid, bool faces) {
  std::vector<Grid> result(names.size(), grid);
  if (!faces) return result;
  const Section section(context, *root.find("grid"), "grid");
  const Node* equation = root.find("equation");
  const Node* vectors = equation && equation->is_table() ? equation->find("vectors") : nullptr;
  if (names.empty() || !vectors || !vectors->is_table() || vectors->table().empty())
    section.fail("unknowns",
                 "at faces stand the components of a vector of a system: give kind = \"system\" and "
                 "equation.vectors, { wind = [\"u\", \"v\"] } for example");
  for (Index r = 0; r < context.regions->size(); ++r)
    if (!(*context.regions)[r].active)
      section.fail("unknowns",
                   "at faces they take no inactive region ('" + (*context.regions)[r].name + "')");
  std::vector<std::string> of(names.size());
  // What is wrong with a vector itself is said where they are read.
  for (const Entry& e : vectors->table())
    for (std::size_t a = 0; e.node->is_array() && a < e.node->array().size(); ++a) {
      const Node& item = e.node->array()[a];
      const auto found = item.is_text() ? std::ranges::find(names, item.text()) : names.end();
      if (found == names.end() || a >= static_cast<std::size_t>(grid.dimension())) continue;
      const auto n = static_cast<std::size_t>(found - names.begin());
      const Grid at = grid.on_faces(static_cast<int>(a));
      if (!of[n].empty() && !(result[n] == at))
        throw CaseError(e.node->place.text(), "equation.vectors." + e.key,
                        fmt::format("'{}' points along another axis in '{}': it stands on one kind of faces",
                                    names[n], of[n]));
      of[n] = e.key;
      result[n] = at;
    }
  return result;
}

namespace {

class SharedTermsReader {
 public:
  SharedTermsReader(const Context& context, const Node& root, const Words& names,
                    const std::vector<Dimensions>& dimensions, Case& result)
      : context_(context),
        section_(context, *root.find("equation"), "equation"),
        names_(names),
        dimensions_(dimensions),
        result_(result) {}

  void read() {
    read_reactions();
    read_cross_diffusion();
    read_fluxes();
    read_velocity();
    read_vectors();
  }

 private:
  // A formula of all unknowns, "u*v" or { formula, unit }, in SI.
  Expression formula_of(const Node& node, const std::string& path, const Expected& expected,
                        std::size_t number, const Words& variables, std::string& text) const {
    if (node.is_number()) {
      if (node.number() != 0 && context_.dimensional)
        throw CaseError(node.place.text(), path, "a number has no unit: " + expected.needed());
      text = fmt::format("{:.10g}", node.number());
      return {node.number()};
    }
    if (node.is_text() && split_measured(node.text())) {
      text = node.text();
      return {read_number(context_, node, path, expected)};
    }
    if (!node.is_text() && !node.is_table())
      throw CaseError(node.place.text(), path, "a formula in quotation marks is needed here");
    WrittenFormula written =
        read_written_formula(context_, node, path, expected, variables, dimensions_[number].in_formulas(),
                             "a formula of the unknowns");
    text = std::move(written.text);
    return written.expression;
  }

  const Node* find(std::size_t number, const char* key) const {
    return section_.find("unknowns")->find(names_[number])->find(key);
  }
  std::string path_of(std::size_t number, const char* key) const {
    return "equation.unknowns." + names_[number] + "." + key;
  }
  Words variables(bool place_and_time) const {
    Words result = names_;
    if (place_and_time) {
      result.insert(result.end(), context_.variables.begin(), context_.variables.end());
      result.emplace_back("t");
    }
    return result;
  }
  void show(const std::string& name, const std::string& text) {
    result_.shared_terms.emplace_back(name, Value{Function(0.0), text, ""});
  }

  void read_reactions() {
    std::vector<Expression> rates(names_.size(), Expression(0.0));
    bool any = false;
    for (std::size_t n = 0; n < names_.size(); ++n) {
      const Node* node = find(n, "reaction");
      if (!node) continue;
      std::string text;
      rates[n] = formula_of(*node, path_of(n, "reaction"),
                            {dimensions_[n].source, false, "an amount per volume and time"}, n,
                            variables(true), text);
      show("reaction of " + names_[n], text);
      result_.places.add(Subject::reaction, {node->place.text(), path_of(n, "reaction")}, names_[n]);
      any = true;
    }
    if (any) result_.reaction = system_reaction_of(names_, rates);
  }

  // cross_diffusivity = { w = "0.1 m^2/s" }: down the gradients of other unknowns.
  void read_cross_diffusion() {
    for (std::size_t n = 0; n < names_.size(); ++n) {
      const Node* node = find(n, "cross_diffusivity");
      if (!node) continue;
      const std::string path = path_of(n, "cross_diffusivity");
      const Section by_unknown(context_, *node, path);
      Words others = names_;
      std::erase(others, names_[n]);
      if (const Node* own = node->find(names_[n]))
        throw CaseError(own->place.text(), by_unknown.key_path(names_[n]),
                        "down its own gradient an unknown diffuses by its diffusivity");
      by_unknown.allow(others, {});
      for (const Entry& e : node->table()) {
        const auto by = static_cast<std::size_t>(std::ranges::find(names_, e.key) - names_.begin());
        std::string text;
        const Unit unit = dimensions_[n].conductivity * dimensions_[n].unknown / dimensions_[by].unknown;
        const Expression diffusivity = formula_of(*e.node, by_unknown.key_path(e.key),
                                                  {unit, false, "a diffusivity"}, n, variables(true), text);
        result_.cross_diffusion.push_back(cross_diffusion_of(names_, n, by, diffusivity));
        show("diffusivity of " + names_[n] + " by " + e.key, text);
      }
      result_.places.add(Subject::diffusion, {node->place.text(), path}, names_[n]);
    }
  }

  void read_fluxes() {
    std::vector<std::array<Expression, 3>> fluxes(names_.size(), {0.0, 0.0, 0.0});
    bool any = false;
    for (std::size_t n = 0; n < names_.size(); ++n) {
      const Node* node = find(n, "flux");
      if (!node) continue;
      const std::string path = path_of(n, "flux");
      const Section by_axis(context_, *node, path);
      by_axis.allow(context_.variables, {});
      for (const Entry& e : node->table()) {
        std::string text;
        const Expression flux = formula_of(*e.node, by_axis.key_path(e.key),
                                           {dimensions_[n].flux, false, "a flux"}, n, names_, text);
        // Speeds are read from its derivatives.
        try {
          for (const std::string& name : names_) derivative(flux, name);
        } catch (const InputError& error) {
          by_axis.fail(e.key, error.what());
        }
        fluxes[n][direction_of(e.key)] = flux;
        show("flux of " + names_[n] + " along " + e.key, text);
      }
      result_.places.add(Subject::flux, {node->place.text(), path}, names_[n]);
      result_.places.add(Subject::flux, {node->place.text(), path});
      any = true;
    }
    if (!any) return;
    if (section_.has("velocity"))
      section_.fail("velocity", "excludes fluxes by formulas: write what the velocity carries into them");
    for (std::size_t n = 0; n < names_.size(); ++n)
      for (const char* key : {"storage", "content"})
        if (find(n, key))
          throw CaseError(find(n, key)->place.text(), path_of(n, key),
                          "a flux by formulas is of what is stored itself: leave it out");
    result_.flux = system_flux_of(names_, fluxes);
  }

  void read_velocity() {
    const Node* node = section_.find("velocity");
    if (!node || !velocity_is_of_unknowns(section_.node(), names_)) return;
    if (node->array().size() != context_.variables.size())
      section_.fail("velocity", fmt::format("a list of {} is needed here, one for each of {}",
                                            context_.variables.size(), listed(context_.variables, "and")));
    std::array<int, 3> along{-1, -1, -1};
    Words carriers;
    for (std::size_t a = 0; a < context_.variables.size(); ++a) {
      const Node& item = node->array()[a];
      if (item.is_number() && item.number() == 0) continue;
      const auto found = item.is_text() ? std::ranges::find(names_, item.text()) : names_.end();
      if (found == names_.end())
        section_.fail(
            "velocity",
            "names of unknowns, or 0 where nothing flows, are needed here beside names of unknowns");
      const auto number = static_cast<std::size_t>(found - names_.begin());
      if (context_.dimensional && !dimensions_[number].unknown.same_dimension(Unit::of("m/s")))
        section_.fail("velocity",
                      fmt::format("'{}' is measured in '{}', and a velocity is needed here, in 'm/s' for "
                                  "example",
                                  *found, dimensions_[number].unknown.text()));
      along[direction_of(context_.variables[a])] = static_cast<int>(number);
      carriers.push_back(*found);
    }
    for (std::size_t n = 0; n < names_.size(); ++n)
      for (const char* key : {"storage", "content"})
        if (find(n, key))
          throw CaseError(
              find(n, key)->place.text(), path_of(n, key),
              "unknowns that are advected by unknowns are themselves what is stored: leave it out");
    const bool advective =
        section_.choice("form", "advective", {"advective", "conservative"}, {}) == "advective";
    result_.flux = advection_by_unknowns(along, advective, names_.size());
    result_.places.add(Subject::velocity, {node->place.text(), "equation.velocity"});
    show("velocity",
         fmt::format("({}), {} form", listed(carriers, "and"), advective ? "advective" : "conservative"));
  }

  // vectors = { wind = ["u", "v"] }
  void read_vectors() {
    const Node* node = section_.find("vectors");
    if (!node) return;
    const Section all(context_, *node, "equation.vectors");
    for (const Entry& e : node->table()) {
      if (!is_name(e.key) || std::ranges::find(names_, e.key) != names_.end())
        all.fail(e.key, "a name of its own is needed here, of letters, digits and '_'");
      VectorOfUnknowns vector{e.key, {}};
      const bool list = e.node->is_array() && e.node->array().size() == context_.variables.size();
      for (std::size_t a = 0; list && a < context_.variables.size(); ++a) {
        const Node& item = e.node->array()[a];
        const auto found = item.is_text() ? std::ranges::find(names_, item.text()) : names_.end();
        if (found != names_.end())
          vector.components.push_back(static_cast<std::size_t>(found - names_.begin()));
      }
      if (vector.components.size() != context_.variables.size())
        all.fail(e.key, fmt::format("a list of {} unknowns is needed here, the components along {}",
                                    context_.variables.size(), listed(context_.variables, "and")));
      for (const std::size_t c : vector.components)
        if (!dimensions_[c].unknown.same_dimension(dimensions_[vector.components[0]].unknown))
          all.fail(e.key, "its components do not have the same unit");
      result_.vectors.push_back(std::move(vector));
    }
  }

  const Context& context_;
  Section section_;
  const Words& names_;
  const std::vector<Dimensions>& dimensions_;
  Case& result_;
};

}  // namespace

void read_shared_terms(const Context& context, const Node& root, const Words& names,
                       const std::vector<Dimensions>& dimensions, Case& result) {
  SharedTermsReader(context, root, names, dimensions, result).read();
}

}  // namespace williwaw::casefile
