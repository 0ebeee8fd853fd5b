#include "williwaw/casefile/case.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <sstream>

#include "parts.hpp"
#include "patch.hpp"
#include "williwaw/casefile/memory.hpp"
#include "williwaw/casefile/report.hpp"

namespace williwaw::casefile {

namespace {

const Words sections{"title",  "constants", "grid",     "equation", "initial", "boundary", "time",
                     "space",  "record",    "probe",    "exact",    "figure",  "region",   "contact",
                     "steady", "settled",   "converge", "stage",    "variant", "cycle"};
const Words later_sections{"derived", "samples", "curve"};

void take_constants(const Node& table, Context& context, const std::string& path) {
  for (const auto& e : table.table()) {
    if (e.key == "include") continue;
    const std::string key = path + "." + e.key;
    if (e.key.empty() ||
        !std::ranges::all_of(
            e.key, [](char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_'; }) ||
        std::isdigit(static_cast<unsigned char>(e.key[0])))
      throw CaseError(e.node->place.text(), key,
                      "a name of letters, digits and '_' is needed, not starting with a digit");
    for (const char* taken : {"x", "y", "z", "t", "r", "u"})
      if (e.key == taken)
        throw CaseError(e.node->place.text(), key, "is the name of a variable and cannot be a constant");
    Constant constant;
    take_constant(context, *e.node, key, constant);
    context.constants.insert_or_assign(e.key, constant);
  }
}

}  // namespace

std::string read_text(const std::filesystem::path& file, const std::string& place, const std::string& key) {
  std::ifstream in(file);
  std::ostringstream text;
  if (in) text << in.rdbuf();
  if (!in || std::filesystem::is_directory(file))
    throw CaseError(place, key, "cannot be read: is the name right?");
  return text.str();
}

void read_constants(const Node& root, Context& context) {
  const Node* node = root.find("constants");
  if (!node) return;
  const Section section(context, *node, "constants");
  if (section.has("include")) {
    const std::string name = section.word("include", "");
    const auto file = context.folder / name;
    const Node included = parse_toml(
        read_text(file, section.find("include")->place.text(), "constants.include: '" + name + "'"), name);
    context.dimensional = context.dimensional || carries_units(included);
    const Node* inner = included.find("constants");
    take_constants(inner ? *inner : included, context, "constants");
  }
  take_constants(*node, context, "constants");
}

namespace {

Unit first_unit(const Context& context, const std::vector<const Node*>& candidates, const char* otherwise) {
  for (const Node* c : candidates)
    if (c)
      if (const auto unit = unit_written(context, *c)) return *unit;
  return Unit::of(otherwise);
}

std::vector<const Node*> children(const Node* parent, const Words& keys) {
  std::vector<const Node*> result;
  for (const auto& k : keys)
    if (parent) result.push_back(parent->find(k));
  return result;
}

// The same unit as people write it, where it has such a name.
std::string by_known_name(const Unit& unit, const Words& names) {
  for (const auto& name : names)
    if (unit.same_dimension(Unit::of(name))) return name;
  return unit.si_text();
}

void choose_scales(const Context& context, const Node& root, const EquationKind& kind,
                   const Dimensions& dimensions, Case& result) {
  const bool shown = context.dimensional;
  std::vector<const Node*> lengths;
  for (const char* axis : {"x", "y", "z", "r"})
    for (const Node* n : children(root.find("grid")->find(axis), {"to", "from", "spacing", "faces"}))
      lengths.push_back(n);
  const auto scale = [shown](Unit unit, const char* otherwise) {
    if (!shown) return store::Scale{};
    if (!unit.same_dimension(Unit::of(otherwise))) unit = Unit::of(otherwise);
    const Real zero = unit.from_si(0);
    // From far apart, so that a zero point (273.15) costs the factor no digits.
    return store::Scale{unit.text(), (unit.from_si(1e9) - zero) / 1e9, zero};
  };
  result.length = scale(first_unit(context, lengths, "m"), "m");
  result.time = scale(first_unit(context, children(root.find("time"), {"until", "lasts", "step"}), "s"), "s");
  const Unit value = shown_unit(kind, context, root);
  result.value = scale(value, value.text().c_str());
  if (!shown) return;
  // A difference has no zero point: degC stand for K.
  if (dimensions.difference && value.has_origin()) result.value = scale(Unit::of("K"), "K");
  result.absolute_temperature = dimensions.of_temperature();
  const int rank = result.problem.grid().volume_dimension();
  if (kind.unknown == "temperature") {
    result.amount_unit = rank == 1 ? "J/m^2" : rank == 2 ? "J/m" : "J";
    result.flow_unit = rank == 1 ? "W/m^2" : rank == 2 ? "W/m" : "W";
    result.flux_unit = "W/m^2";
  } else if (dimensions.waves) {
    // The energy of the motion, half of what is stored times the square of the rate.
    const Unit energy = dimensions.storage * dimensions.rate.power(2) * Unit::of("m").power(rank);
    result.amount_unit = by_known_name(energy, {"J", "J/m", "J/m^2", "m^3/s^2", "m^4/s^2", "m^5/s^2"});
    result.flow_unit =
        by_known_name(energy / Unit::of("s"), {"W", "W/m", "W/m^2", "m^3/s^3", "m^4/s^3", "m^5/s^3"});
    result.flux_unit = dimensions.flux.si_text();
  } else {
    const Unit amount = dimensions.storage * dimensions.unknown * Unit::of("m").power(rank);
    result.amount_unit = by_known_name(amount, {"kg", "kg/m", "kg/m^2", "m^2/s", "m^3/s", "mol", "mol/m"});
    result.flow_unit =
        by_known_name(amount / Unit::of("s"), {"kg/s", "kg/m/s", "kg/m^2/s", "m^2/s^2", "m^3/s^2"});
    result.flux_unit = dimensions.flux.si_text();
  }
}

Case assemble(const Node& root, Context& context, const std::vector<std::string>& stages) {
  const Section top(context, root, "");
  top.allow(sections, later_sections);
  read_constants(root, context);
  if (const Node* exact = root.find("exact"))
    if (const Section section(context, *exact, "exact"); section.truth("manufactured", false)) {
      Node derived = root;
      erase_key(*std::ranges::find(std::get<Node::Table>(derived.value), "exact", &Entry::key)->node,
                "manufactured");
      manufacture(context, derived);
      return assemble(derived, context, stages);
    }
  const Grid grid = read_grid(context, root);
  for (int a = 0; a < grid.rank(); ++a) context.variables.push_back(grid.axis(a).name());
  const auto regions = std::make_shared<const Regions>(read_regions(context, root, grid));
  context.regions = regions;
  const EquationKind& kind = read_equation_kind(root, context);
  const Dimensions dimensions = dimensions_of(kind, context, root);
  std::vector<std::pair<std::string, Value>> shown;
  Equation equation = read_equation(context, root, grid, kind, dimensions, shown);
  read_contacts(context, root, dimensions, equation);
  Case result{.file = {},
              .text = {},
              .title = top.word("title", ""),
              .problem = Problem(grid, equation, *regions),
              .equation_formula = kind.formula,
              .coefficients = shown,
              .walls = {},
              .initial = {},
              .initial_rate = {},
              .plan = {},
              .steady = {},
              .settled = {},
              .cycle = {},
              .step = {},
              .ladder = {},
              .variants = {},
              .stages = {},
              .refinement = {},
              .record_every = {},
              .length = {},
              .time = {},
              .value = {},
              .absolute_temperature = {},
              .amount_unit = {},
              .flow_unit = {},
              .flux_unit = {},
              .probes = {},
              .exact = {},
              .figures = {},
              .space_place = {},
              .flux_place = {},
              .step_place = {},
              .equation_place = root.find("equation")->place.text(),
              .initial_place = {},
              .boundary_place = root.find("boundary") ? root.find("boundary")->place.text() : context.file};
  if (context.start == 0) result.stages = stages;
  for (const auto& e : root.find("equation")->table()) {
    const std::pair<std::string, std::string> where{e.node->place.text(), "equation." + e.key};
    result.data_places[e.key] = where;
    if (e.key == "diffusivity" || e.key == "conductivity") result.data_places["diffusion"] = where;
  }
  if (equation.second_order) {
    const Node& given = *root.find("equation");
    if (equation.as_system)
      result.equation_formula =
          given.find("tension") ? "du/dt = p, density·(dp/dt + damping·p) = ∇·s + source, ds/dt = tension ∇p"
                                : "du/dt = p, dp/dt + damping·p = ∇·s + source, ds/dt = speed² ∇p";
    else if (given.find("tension"))
      result.equation_formula = "density·(d²u/dt² + damping·du/dt) = ∇·(tension ∇u) + source";
    else if (given.find("medium") && given.find("medium")->is_text() &&
             given.find("medium")->text() == "pointwise")
      result.equation_formula = "d²u/dt² + damping·du/dt = speed² ∇²u + source";
  }
  if (equation.reaction) result.equation_formula += " + reaction(u)";
  if (!equation.points.empty()) result.equation_formula += " + points";
  if (root.find("steady") && equation.second_order)
    throw CaseError(root.find("steady")->place.text(), "steady", "a wave has no steady state: give [time]");
  // A steady state has no left side.
  if (root.find("steady"))
    if (const auto equals = result.equation_formula.find(" = "); equals != std::string::npos)
      result.equation_formula = "0" + result.equation_formula.substr(equals);
  choose_scales(context, root, kind, dimensions, result);
  read_boundary(context, root, dimensions, result);
  read_initial(context, root, dimensions, result);
  read_time(context, root, dimensions, result);
  read_space(context, root, result);
  read_records(context, root, result);
  read_exact(context, root, dimensions, result);
  read_converge(context, root, result);
  read_figures(context, root, dimensions, result);
  return result;
}

// Lays the variant over the tree and takes its list out.
void choose_variant(Node& root, const std::string& wanted, std::vector<std::string>& titles) {
  const Node* chosen = nullptr;
  for (const Node* entry : entries_of(root, "variant")) {
    titles.push_back(title_of_entry(*entry, "variant"));
    if (std::ranges::count(titles, titles.back()) > 1)
      throw CaseError(entry->place.text(), "variant.title",
                      "two variants are called '" + titles.back() + "'");
    if (titles.back() == wanted) chosen = entry;
  }
  if (wanted.empty()) return;
  if (!chosen)
    throw CaseError(root.place.text(), "variant",
                    "there is none called '" + wanted + "'" +
                        (titles.empty() ? "" : "; there are " + listed(titles, "and")));
  const Node changes = *chosen;
  const Node* title = root.find("title");
  const std::string whole = (title && title->is_text() ? title->text() + ": " : "") + wanted;
  lay_over(root, changes);
  erase_key(root, "variant");
  override_with(root, "title=" + whole);
}

// Lays stages 1 to `stage` over the tree, one after another, and takes their list out.
void choose_stage(Node& root, Index stage, std::vector<std::string>& titles) {
  std::vector<Node> all;
  for (const Node* entry : entries_of(root, "stage")) {
    titles.push_back(title_of_entry(*entry, "stage"));
    all.push_back(*entry);
  }
  if (stage == 0) return;
  if (stage > static_cast<Index>(all.size())) throw InputError("there are not so many stages");
  for (Index s = 0; s < stage; ++s) lay_over(root, all[static_cast<std::size_t>(s)]);
  erase_key(root, "stage");
}

}  // namespace

std::string Case::duration(Real seconds) const {
  if (time.unit.empty() || std::isinf(seconds)) return readable(seconds);
  for (const auto& [name, size] : {std::pair{"day", 86400.0}, {"h", 3600.0}, {"min", 60.0}})
    if (std::abs(seconds) >= 2 * size) return readable(seconds / size, name);
  return readable(seconds, "s");
}

Tree tree_of(const std::string& text, const std::filesystem::path& name,
             const std::vector<std::string>& overrides, const Reading& reading) {
  Tree tree{parse_toml(text, name.string()), {}};
  choose_variant(tree.root, reading.variant, tree.variants);
  for (const auto& o : overrides) override_with(tree.root, o);
  choose_stage(tree.root, reading.stage, tree.stages);
  tree.context.refinement = reading.refinement;
  tree.context.start = reading.start;
  tree.context.file = name.string();
  tree.context.folder = name.parent_path();
  tree.context.dimensional = carries_units(tree.root);
  return tree;
}

namespace {

// Vectors of unknowns that the leanest run keeps, and that few keep with a solver of its own; of direct
// factors of a plan and of a block many more.
constexpr Real fewest_vectors = 6;
constexpr Real many_vectors[] = {80, 400, 2000};

// Before anything as large as the grid is built.
void refuse_too_much(const Tree& tree, const std::string& text, const std::filesystem::path& name,
                     const std::vector<std::string>& overrides, const Reading& reading) {
  if (std::isinf(reading.memory)) return;
  const auto sizes = sizes_of_grid(tree);
  if (sizes.empty()) return;
  const Real unknowns = unknowns_of(sizes);
  const auto refuse = [&](const std::string& what) {
    throw CaseError(tree.root.find("grid")->place.text(), "grid",
                    fmt::format("{:.3g} unknowns {}", unknowns, what));
  };
  if (unknowns > 2e9) refuse("are more than this program can hold");
  const Real most = reading.memory > 0 ? reading.memory : available_memory();
  const auto against = [&](const std::string& need) {
    refuse(fmt::format("need {}, but {} {}; fewer of them need less", need,
                       reading.memory > 0 ? "the run may take" : "there are", readable_bytes(most)));
  };
  if (const Real least = 8 * fewest_vectors * unknowns; least > most)
    against(readable_bytes(least) + " at least");
  if (reading.memory == 0 && 8 * many_vectors[std::min<std::size_t>(sizes.size(), 3) - 1] * unknowns < most)
    return;
  const auto need = reading.needed ? reading.needed : peak_memory(text, name, overrides, reading);
  if (need && *need > most) against("about " + readable_bytes(*need));
}

}  // namespace

Case read_case_text(const std::string& text, const std::filesystem::path& name,
                    const std::vector<std::string>& overrides, const Reading& reading) {
  Tree tree = tree_of(text, name, overrides, reading);
  refuse_too_much(tree, text, name, overrides, reading);
  Case result =
      assemble(tree.root, tree.context, reading.stage == 0 ? tree.stages : std::vector<std::string>{});
  result.file = name;
  if (result.title.empty()) result.title = name.stem().string();
  result.variants = std::move(tree.variants);
  result.refinement = reading.refinement;
  result.text = text;
  if (!reading.variant.empty() || reading.stage > 0 || !overrides.empty()) {
    std::string changes;
    for (const auto& o : overrides) changes += "# --set " + o + "\n";
    result.text = changes + write_toml(tree.root);
  }
  return result;
}

Case read_case(const std::filesystem::path& file, const std::vector<std::string>& overrides,
               const Reading& reading) {
  return read_case_text(read_text(file, file.string(), ""), file, overrides, reading);
}

}  // namespace williwaw::casefile
