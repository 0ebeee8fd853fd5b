#include "williwaw/casefile/case.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <sstream>

#include "casefile/sections/sections.hpp"
#include "patch.hpp"
#include "williwaw/casefile/readable.hpp"

namespace williwaw::casefile {

namespace {

const Words sections{"title",  "constants", "grid",     "equation", "initial", "boundary", "time",  "space",
                     "record", "probe",     "exact",    "figure",   "region",  "soil",     "curve", "contact",
                     "steady", "settled",   "converge", "stage",    "variant", "cycle"};
const Words later_sections{"derived", "samples"};

// Subjects of keys of [equation]; of several the first counts.
constexpr std::pair<const char*, Subject> subjects_of_keys[] = {
    {"conductivity", Subject::diffusion}, {"diffusivity", Subject::diffusion},
    {"speed", Subject::diffusion},        {"tension", Subject::diffusion},
    {"density", Subject::storage},        {"heat_capacity", Subject::storage},
    {"storage", Subject::storage},        {"content", Subject::storage},
    {"phase_change", Subject::storage},   {"soil", Subject::soil},
    {"velocity", Subject::velocity},      {"flux", Subject::flux},
    {"source", Subject::source},          {"points", Subject::points},
    {"reaction", Subject::reaction},      {"damping", Subject::damping}};

// Sections, which stand for keys that are left out, and the keys of [equation].
void add_places(const Node& root, const Context& context, KeyPlaces& places) {
  const auto section = [&](const char* name) {
    const Node* found = root.find(name);
    return found ? found->place.text() : context.file;
  };
  places.add(Subject::equation, {section("equation"), "equation"});
  const Node& equation = *root.find("equation");
  for (const auto& [key, subject] : subjects_of_keys)
    if (const Node* found = equation.find(key))
      places.add(subject, {found->place.text(), std::string("equation.") + key});
  places.add(Subject::grid, {section("grid"), "grid"});
  places.add(Subject::boundary, {section("boundary"), "boundary"});
  const Node* space = root.find("space");
  for (const auto& [subject, key] : {std::pair{Subject::reconstruction, "reconstruction"},
                                     {Subject::face_mean, "face_mean"},
                                     {Subject::numerical_flux, "numerical_flux"},
                                     {Subject::space_order, "diffusion_order"}}) {
    const Node* found = space ? space->find(key) : nullptr;
    places.add(subject, {found ? found->place.text() : section("space"), std::string("space.") + key});
  }
  const std::string time = root.find("steady") ? "steady" : "time";
  const Node* stepping = root.find(time);
  for (const auto& [subject, key] : {std::pair{Subject::scheme, "scheme"},
                                     {Subject::step, "step"},
                                     {Subject::solver, "solver"},
                                     {Subject::end_time, "until"}}) {
    const Node* found = stepping && stepping->is_table() ? stepping->find(key) : nullptr;
    places.add(subject, {found ? found->place.text() : section(time.c_str()), time + "." + key});
  }
  const Node* record = root.find("record");
  const Node* every = record && record->is_table() ? record->find("every") : nullptr;
  places.add(Subject::records, {every ? every->place.text() : section("record"), "record.every"});
  const Node* cycle = root.find("cycle");
  places.add(Subject::cycle, {cycle ? cycle->place.text() : section(time.c_str()), "cycle.period"});
}

Case assemble(const Node& root, Context& context, const std::vector<std::string>& stages) {
  const Section top(context, root, "");
  top.allow(sections, later_sections);
  read_constants(root, context);
  read_curves(root, context);
  if (const Node* exact = root.find("exact"))
    if (const Section section(context, *exact, "exact"); section.truth("manufactured", false)) {
      Node derived = root;
      erase_key(*std::ranges::find(std::get<Node::Table>(derived.value), "exact", &Entry::key)->node,
                "manufactured");
      manufacture(context, derived);
      return assemble(derived, context, stages);
    }
  const Grid grid = read_grid(context, root);
  for (int a = 0; a < grid.dimension(); ++a) context.variables.push_back(grid.axis(a).name());
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
              .boundaries = {},
              .initial = {},
              .initial_rate = {},
              .plan = {},
              .steady = {},
              .settled = {},
              .cycle = {},
              .step = {},
              .refinement_study = {},
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
              .figures = {}};
  if (context.start == 0) result.stages = stages;
  add_places(root, context, result.places);
  if (equation.second_order) {
    const Node& given = *root.find("equation");
    if (equation.as_system)
      result.equation_formula =
          given.find("tension") ? "du/dt = p, density·(dp/dt + damping·p) = ∇·s + source, ds/dt = tension ∇p"
                                : "du/dt = p, dp/dt + damping·p = ∇·s + source, ds/dt = speed² ∇p";
    else if (given.find("tension"))
      result.equation_formula = "density·(d²u/dt² + damping·du/dt) = ∇·(tension ∇u) + source";
    else if (given.find("medium") && given.find("medium")->is_text() &&
             given.find("medium")->text() == "non-conservative")
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

// Before anything as large as the grid is built.
void announce_grid(const Tree& tree, const std::string& text, const std::filesystem::path& name,
                   const std::vector<std::string>& overrides, const Reading& reading) {
  const auto sizes = sizes_of_grid(tree);
  if (sizes.empty()) return;
  const std::string place = tree.root.find("grid")->place.text();
  if (const Real unknowns = unknowns_of(sizes); unknowns > 2e9)
    throw CaseError(place, "grid", fmt::format("{:.3g} unknowns exceed the limit of 2e9", unknowns));
  if (reading.before_grid) reading.before_grid({text, name, overrides, reading, sizes, place});
}

}  // namespace

std::vector<Real> grid_sizes(const std::string& text, const std::filesystem::path& name,
                             const std::vector<std::string>& overrides, const Reading& reading) {
  return sizes_of_grid(tree_of(text, name, overrides, reading));
}

std::string read_text(const std::filesystem::path& file, const std::string& place, const std::string& key) {
  std::ifstream in(file);
  std::ostringstream text;
  if (in) text << in.rdbuf();
  if (!in || std::filesystem::is_directory(file))
    throw CaseError(place, key, "cannot be read: is the name right?");
  return text.str();
}

std::string case_text(const std::filesystem::path& file) {
  return read_text(file, file.string(), "");
}

Case read_case_text(const std::string& text, const std::filesystem::path& name,
                    const std::vector<std::string>& overrides, const Reading& reading) {
  Tree tree = tree_of(text, name, overrides, reading);
  announce_grid(tree, text, name, overrides, reading);
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
  return read_case_text(case_text(file), file, overrides, reading);
}

}  // namespace williwaw::casefile
