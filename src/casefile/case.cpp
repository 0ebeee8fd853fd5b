#include "williwaw/casefile/case.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <sstream>

#include "casefile/sections/sections.hpp"
#include "patch.hpp"
#include "williwaw/casefile/readable.hpp"
#include "williwaw/store/fields.hpp"

namespace williwaw::casefile {

namespace {

const Words sections{"title",   "constants", "grid",    "equation", "initial", "boundary", "time",
                     "space",   "record",    "probe",   "exact",    "figure",  "region",   "soil",
                     "curve",   "contact",   "steady",  "settled",  "sweep",   "converge", "stage",
                     "variant", "cycle",     "derived", "samples"};

// A case of one unknown, read so far as it speaks of that.
struct Member {
  Case read;
  Dimensions dimensions;
};

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

// The equation as `check` writes it, for people.
std::string formula_of(const Node& root, const EquationKind& kind, const Equation& equation) {
  std::string result = kind.formula;
  if (equation.second_order) {
    const Node& given = *root.find("equation");
    if (equation.as_system)
      result = given.find("tension")
                   ? "du/dt = p, density·(dp/dt + damping·p) = ∇·s + source, ds/dt = tension ∇p"
                   : "du/dt = p, dp/dt + damping·p = ∇·s + source, ds/dt = speed² ∇p";
    else if (given.find("tension"))
      result = "density·(d²u/dt² + damping·du/dt) = ∇·(tension ∇u) + source";
    else if (given.find("medium") && given.find("medium")->is_text() &&
             given.find("medium")->text() == "non-conservative")
      result = "d²u/dt² + damping·du/dt = speed² ∇²u + source";
  }
  if (equation.reaction) result += " + reaction(u)";
  return result;
}

// Of one unknown of a system: what its keys and those of the system put into its equation.
std::string formula_of_member(const Node& root, const Case& given, const Words& names,
                              const std::string& name) {
  const Node& whole = *root.find("equation");
  const Node& own = *whole.find("unknowns")->find(name);
  const auto has = [&](const char* key) { return own.find(key) != nullptr; };
  std::string all;
  for (const std::string& n : names) all += (all.empty() ? "" : ", ") + n;
  std::string left, right;
  const auto add_to = [](std::string& side, const std::string& term) {
    side += (side.empty() ? "" : " + ") + term;
  };
  // A steady state does not change.
  if (!root.find("steady"))
    add_to(left, has("content")   ? "d content(" + name + ")/dt"
                 : has("storage") ? "storage·d" + name + "/dt"
                                  : "d" + name + "/dt");
  if (has("flux")) add_to(left, "∇·flux(" + all + ")");
  if (whole.find("velocity")) {
    const Node* form = whole.find("form");
    const bool advective =
        form ? form->is_text() && form->text() == "advective" : given.flux && given.flux->advective();
    add_to(left, advective ? "velocity·∇" + name : "∇·(velocity " + name + ")");
  }
  const auto add = [&](const std::string& term) { add_to(right, term); };
  if (has("diffusivity")) add("∇·(diffusivity ∇" + name + ")");
  if (const Node* cross = own.find("cross_diffusivity"); cross && cross->is_table())
    for (const Entry& e : cross->table()) add("∇·(cross_diffusivity ∇" + e.key + ")");
  if (has("source")) add("source");
  if (has("reaction")) add("reaction(" + all + ")");
  if (has("points")) add("points");
  return (left.empty() ? "0" : left) + " = " + (right.empty() ? "0" : right);
}

// What a case of one unknown says of it: equation, units, boundaries and start.
Member read_member(const Node& root, const Context& context, const Grid& grid,
                   const std::vector<std::string>& stages) {
  const EquationKind& kind = read_equation_kind(root, context);
  const Dimensions dimensions = dimensions_of(kind, context, root);
  std::vector<std::pair<std::string, Value>> shown;
  Equation equation = read_equation(context, root, grid, kind, dimensions, shown);
  read_contacts(context, root, dimensions, equation);
  Case result{UnknownOfCase{.problem = Problem(grid, equation, *context.regions), .coefficients = shown}};
  if (context.start == 0) result.stages = stages;
  add_places(root, context, result.places);
  result.equation_formula = formula_of(root, kind, equation);
  if (!equation.points.empty()) result.equation_formula += " + points";
  if (root.find("steady") && equation.second_order)
    throw CaseError(root.find("steady")->place.text(), "steady", "a wave has no steady state: give [time]");
  choose_scales(context, root, kind, dimensions, result);
  read_boundary(context, root, dimensions, result);
  read_initial(context, root, dimensions, result);
  return {std::move(result), dimensions};
}

// What is said of several unknowns, one after the other, each as if it were alone; the first becomes the
// case.
class SystemReader {
 public:
  SystemReader(const Node& root, Context& context, const Words& names) : root_(root), names_(names) {
    for (const std::string& name : names_) views_.push_back(case_of_unknown(context, root_, names_, name));
    // Formulas of all of them need what each of them measures.
    const EquationKind& kind = read_equation_kind(root_, context);
    for (std::size_t n = 0; n < names_.size(); ++n)
      of_unknown(n, [&] { dimensions_.push_back(dimensions_of(kind, context, views_[n])); });
    for (const Dimensions& d : dimensions_) context.unknowns.push_back(d.in_formulas());
  }

  /// `grids` has the one of each unknown.
  Member read(const Context& context, const std::vector<Grid>& grids,
              const std::vector<std::string>& stages) {
    std::vector<Member> members;
    for (std::size_t n = 0; n < names_.size(); ++n)
      of_unknown(n, [&] { members.push_back(read_member(views_[n], context, grids[n], stages)); });
    Member result = std::move(members.front());
    Case& whole = result.read;
    for (std::size_t n = 0; n < names_.size(); ++n) add_own_places(n, whole.places);
    for (std::size_t n = 1; n < members.size(); ++n) whole.others.push_back(std::move(members[n].read));
    read_shared_terms(context, root_, names_, dimensions_, whole);
    whole.equation_formula = formula_of_member(root_, whole, names_, names_[0]);
    for (std::size_t n = 1; n < names_.size(); ++n)
      whole.others[n - 1].equation_formula = formula_of_member(root_, whole, names_, names_[n]);
    return result;
  }

  void read_exact_solutions(const Context& context, Case& result) {
    for (std::size_t n = 0; n < names_.size(); ++n)
      of_unknown(n, [&] {
        if (n == 0) {
          read_exact(context, views_[0], dimensions_[0], result);
          return;
        }
        // Named solutions look at what the rest of the case says.
        Case alone = result;
        static_cast<UnknownOfCase&>(alone) = result.others[n - 1];
        alone.exact.reset();
        alone.exact_is_initial = false;
        read_exact(context, views_[n], dimensions_[n], alone);
        result.others[n - 1] = alone;
      });
  }
  const std::vector<Dimensions>& dimensions() const { return dimensions_; }

 private:
  template <class Read>
  void of_unknown(std::size_t n, const Read& read) const {
    try {
      read();
    } catch (const CaseError& e) {
      throw error_of_unknown(root_, names_[n], e);
    }
  }
  // Keys of an unknown by its name, for errors that are found later.
  void add_own_places(std::size_t n, KeyPlaces& places) const {
    const Node& own = *root_.find("equation")->find("unknowns")->find(names_[n]);
    const std::string path = "equation.unknowns." + names_[n];
    for (const auto& [key, subject] : subjects_of_keys)
      if (const Node* found = own.find(key))
        places.add(subject, {found->place.text(), path + "." + key}, names_[n]);
    for (const Subject subject : {Subject::equation, Subject::storage, Subject::diffusion, Subject::source})
      places.add(subject, {own.place.text(), path}, names_[n]);
    if (const Node* initial = root_.find("initial"))
      if (const Node* found = initial->find(names_[n]))
        places.add(Subject::initial, {found->place.text(), "initial." + names_[n]}, names_[n]);
  }

  const Node& root_;
  const Words names_;
  std::vector<Node> views_;
  std::vector<Dimensions> dimensions_;
};

// Whether sources and boundaries are to be derived from [exact]; takes the word for it out of the tree.
bool take_manufactured(const Context& context, const Words& names, Node& root) {
  const Node* exact = root.find("exact");
  if (!exact) return false;
  const auto taken_from = [&](const std::string& path, Node& table) {
    if (!table.is_table()) return false;
    const bool wanted = Section(context, table, path).truth("manufactured", false);
    erase_key(table, "manufactured");
    return wanted;
  };
  // Nodes are shared with the tree that this one was copied from.
  auto& node = std::ranges::find(std::get<Node::Table>(root.value), "exact", &Entry::key)->node;
  node = std::make_shared<Node>(*node);
  if (names.empty()) return taken_from("exact", *node);
  if (!node->is_table()) return false;
  bool any = false;
  std::string without;
  for (Entry& e : std::get<Node::Table>(node->value)) {
    e.node = std::make_shared<Node>(*e.node);
    const bool wanted = taken_from("exact." + e.key, *e.node);
    any = any || wanted;
    if (!wanted) without = e.key;
  }
  if (any && !without.empty())
    throw CaseError(exact->place.text(), "exact." + without + ".manufactured",
                    "missing: what is derived for one unknown is derived for all of them");
  return any;
}

Case assemble(const Node& root, Context& context, const std::vector<std::string>& stages) {
  const Section top(context, root, "");
  top.allow(sections, {});
  const Index samples = read_samples(root, context);
  read_constants(root, context);
  read_curves(root, context);
  const Words names = names_of_unknowns(context, root);
  if (Node derived = root; take_manufactured(context, names, derived)) {
    names.empty() ? manufacture(context, derived) : manufacture_system(context, names, derived);
    return assemble(derived, context, stages);
  }
  const Grid grid = read_grid(context, root);
  for (int a = 0; a < grid.dimension(); ++a) context.variables.push_back(grid.axis(a).name());
  context.regions = std::make_shared<const Regions>(read_regions(context, root, grid));
  std::optional<SystemReader> system;
  if (!names.empty()) system.emplace(root, context, names);
  const bool faces = has_unknowns_at_faces(root);
  const std::vector<Grid> grids = grids_of_unknowns(context, root, names, grid, faces);
  Member first = system ? system->read(context, grids, stages) : read_member(root, context, grid, stages);
  Case& result = first.read;
  if (faces) result.cells = grid;
  result.title = top.word("title", "");
  if (const Node* sweep = root.find("sweep")) {
    const Section section(context, *sweep, "sweep");
    section.allow({"title"}, {});
    result.as_written = section.word("title", result.as_written);
  }
  result.samples = samples;
  result.sample = context.sample;
  // A steady state has no left side.
  if (root.find("steady") && !system)
    if (const auto equals = result.equation_formula.find(" = "); equals != std::string::npos)
      result.equation_formula = "0" + result.equation_formula.substr(equals);
  const std::vector<Dimensions> dimensions = system ? system->dimensions() : std::vector{first.dimensions};
  choose_fluxes(root, result);
  read_derived(context, root, dimensions, result);
  read_time(context, root, first.dimensions, result);
  read_space(context, root, result);
  read_records(context, root, result);
  if (system)
    system->read_exact_solutions(context, result);
  else
    read_exact(context, root, first.dimensions, result);
  read_converge(context, root, result);
  read_figures(context, root, dimensions, result);
  return std::move(first.read);
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

std::optional<std::size_t> Case::number_of(const std::string& name) const {
  for (std::size_t n = 0; n < count(); ++n)
    if (unknown(n).problem.equation().unknown == name) return n;
  return std::nullopt;
}

std::vector<std::string> Case::quantities() const {
  std::vector<std::string> result;
  for (std::size_t n = 0; n < count(); ++n) result.push_back(unknown(n).problem.equation().unknown);
  for (const DerivedQuantity& d : problem.equation().derived) result.push_back(d.name);
  for (const int axis : fluxes) result.push_back(flux_name(axis));
  for (const DerivedOfCase& d : derived) result.push_back(d.name);
  for (const VectorOfUnknowns& vector : vectors)
    for (const std::string& name :
         store::quantities_of({vector.name, std::vector<std::string>(vector.components.size())}))
      result.push_back(name);
  return result;
}

std::vector<std::string> Case::recorded_quantities() const {
  std::vector<std::string> result = quantities();
  if (samples == 1) return result;
  std::vector<std::string> more;
  for (const std::string& name : result)
    for (const char* statistic : statistics_of_samples) more.push_back(name + statistic);
  result.insert(result.end(), more.begin(), more.end());
  return result;
}

System Case::system() const {
  System result{{}, reaction, flux, cross_diffusion, characteristic};
  for (std::size_t n = 0; n < count(); ++n) result.problems.push_back(unknown(n).problem);
  return result;
}

std::string Case::duration(Real seconds, int digits) const {
  if (time.unit.empty() || std::isinf(seconds)) return readable(seconds, digits);
  for (const auto& [name, size] : {std::pair{"day", 86400.0}, {"h", 3600.0}, {"min", 60.0}})
    if (std::abs(seconds) >= 2 * size) return readable(seconds / size, name, digits);
  return readable(seconds, "s", digits);
}

Tree tree_of(const std::string& text, const std::filesystem::path& name,
             const std::vector<std::string>& overrides, const Reading& reading) {
  Tree tree{parse_toml(text, name.string()), {}};
  choose_variant(tree.root, reading.variant, tree.variants);
  for (const auto& o : overrides) override_with(tree.root, o);
  choose_stage(tree.root, reading.stage, tree.stages);
  tree.context.refinement = reading.refinement;
  tree.context.start = reading.start;
  tree.context.sample = reading.sample;
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
