// Manufactured solutions: what sources, boundaries and initial values must be so that a given formula is the
// solution (Roache, 2002).
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"
#include "patch.hpp"

namespace williwaw::casefile {

namespace {

Node text_node(const std::string& text, const Place& place) {
  Node node;
  node.value = text;
  node.place = place;
  node.derived = true;
  return node;
}

// Puts a value where a path of tables leads; tables are made on the way.
void put(Node& root, const std::vector<std::string>& path, const Node& value) {
  Node* at = &root;
  for (const auto& key : path) {
    auto& table = std::get<Node::Table>(at->value);
    auto found = std::ranges::find(table, key, &Entry::key);
    if (found == table.end()) {
      Node fresh;
      fresh.value = Node::Table{};
      fresh.place = value.place;
      table.push_back({key, std::make_shared<Node>(fresh), value.place.line, 0});
      found = table.end() - 1;
    } else {
      // Nodes are shared with the tree that this one was copied from.
      found->node = std::make_shared<Node>(*found->node);
    }
    at = found->node.get();
  }
  *at = value;
}

/// One unknown of several: the whole case, its name, and what all of them are.
struct OfSystem {
  const Node* root = nullptr;
  std::string name = {};
  std::vector<std::pair<std::string, Expression>> solution = {};
};

class Manufacture {
 public:
  Manufacture(const Context& context, Node& root, OfSystem system = {})
      : context_(context), root_(root), system_(std::move(system)) {
    const Node* grid = root.find("grid");
    if (!grid) throw CaseError(context.file, "grid", "missing; a case needs a [grid]");
    const Node* form = grid->find("coordinates");
    coordinates_ = form && form->is_text() ? form->text() : "cartesian";
    for (const char* axis : {"x", "y", "z", "r"})
      if (grid->find(axis)) axes_.emplace_back(axis);
  }

  /// The solution itself, in SI.
  Expression solution() {
    const Node* exact = root_.find("exact")->find("value");
    if (!exact || (exact->is_text() && exact->text() == "initial"))
      throw CaseError(root_.find("exact")->place.text(), "exact.value",
                      "a formula is needed here: sources and boundaries are derived from it");
    place_ = exact->place;
    return written(*exact, "exact.value");
  }

  void go() {
    u_ = solution();
    if (!system_.root) system_.solution = {{"u", u_}};
    read_equation();
    derive_source();
    derive_boundaries();
    if (const Node* first = root_.find("initial"); !root_.find("steady") || !first)
      put_initial(*root_.find("exact")->find("value"));
  }

 private:
  // What coefficients and boundary values are when the unknowns are the exact solution.
  Expression formula(const Node& node, const std::string& key) const {
    Expression e = written(node, key);
    for (const auto& [name, value] : system_.solution) e = substitute(e, name, value);
    return e;
  }

  // A number with a unit, a number, a formula, or { formula, unit }, as an expression in SI.
  Expression written(const Node& node, const std::string& key) const {
    if (node.is_number()) return node.number();
    if (node.is_text()) {
      if (const auto measured = split_measured(node.text()))
        if (const auto unit = Unit::parse(measured->unit)) return unit->to_si(measured->number);
      return parse(node.text(), node.place, key);
    }
    if (node.is_table() && node.find("formula") && node.find("formula")->is_text()) {
      const std::string& text = node.find("formula")->text();
      const Node* unit = node.find("unit");
      if (!unit || !unit->is_text()) return parse(text, node.place, key);
      const auto parsed = Unit::parse(unit->text());
      if (!parsed) throw CaseError(unit->place.text(), key, "'" + unit->text() + "' is not a unit");
      try {
        std::optional<Unit> u_unit;
        if (const Node* of_u = node.find("u_unit"); of_u && of_u->is_text())
          u_unit = Unit::parse(of_u->text());
        return read_formula_in(context_, text, variables(), *parsed, false, u_unit);
      } catch (const InputError& e) {
        throw CaseError(node.place.text(), key, e.what());
      }
    }
    throw CaseError(
        node.place.text(), key,
        "cannot be differentiated: a number or one formula everywhere is needed for manufactured = true");
  }

  Words variables() const {
    Words all = axes_;
    all.emplace_back("t");
    for (const auto& [name, value] : system_.solution) all.push_back(name);
    return all;
  }

  Expression parse(const std::string& text, const Place& place, const std::string& key) const {
    try {
      return read_formula(text, context_.values(), variables());
    } catch (const InputError& e) {
      throw CaseError(place.text(), key, e.what());
    }
  }

  Node printed(const Expression& e) const { return text_node(e.text(), place_); }
  static Expression at_start(const Expression& e) { return substitute(e, "t", 0.0); }

  Expression by(const Expression& e, const std::string& variable) const {
    try {
      return derivative(e, variable);
    } catch (const InputError& error) {
      throw CaseError(place_.text(), "exact.value", error.what());
    }
  }

  // Whether nothing but rounding is left of `e` on the boundary, against what it is elsewhere.
  bool vanishes(const Expression& e, const Expression& on_boundary) const {
    constexpr Index count = 64;
    Points at(count);
    for (Index i = 0; i < count; ++i)
      // Places and times without a pattern, over many sizes.
      at.set(i, {std::fmod(0.754877 * static_cast<Real>(i) + 0.1, 1.0),
                 std::fmod(0.569840 * static_cast<Real>(i) + 0.2, 1.0),
                 std::fmod(0.438579 * static_cast<Real>(i) + 0.3, 1.0)});
    std::vector<Real> inside(count), there(count), u(count, 1.0);
    Real most = 0, left = 0;
    for (const Real time : {0.0, 0.37, 1.9}) {
      const FormulaInputs inputs{at.x.data(), at.y.data(), at.z.data(), u.data(), time, count};
      evaluate(e, inputs, inside.data());
      evaluate(on_boundary, inputs, there.data());
      for (Index i = 0; i < count; ++i) {
        most = std::max(most, std::abs(inside[i]));
        left = std::max(left, std::abs(there[i]));
      }
    }
    return left <= 1e-12 * most;
  }

  // In the unit of the exact solution, which is the one that people want to see.
  void put_initial(const Node& exact) {
    const Node* unit = exact.is_table() ? exact.find("unit") : nullptr;
    if (!unit) {
      put(root_, {"initial", "value"}, printed(at_start(u_)));
      return;
    }
    Node value =
        table_of("formula", printed(at_start(parse(exact.find("formula")->text(), place_, "exact.value"))));
    std::get<Node::Table>(value.value).push_back({"unit", std::make_shared<Node>(*unit), place_.line, 0});
    put(root_, {"initial", "value"}, value);
  }

  const Node* key_of(const char* key) const { return root_.find("equation")->find(key); }
  Expression coefficient(const char* key, Real otherwise) const {
    const Node* node = key_of(key);
    return node ? formula(*node, std::string("equation.") + key) : Expression(otherwise);
  }

  void read_equation() {
    const Node* equation = root_.find("equation");
    if (!equation || !equation->find("kind"))
      throw CaseError(context_.file, "equation", "missing; a case needs [equation]");
    for (const char* key : {"points", "soil", "phase_change", "gravity"})
      if (key_of(key))
        throw CaseError(
            key_of(key)->place.text(), std::string("equation.") + key,
            "has no place beside manufactured = true: it is derived for smooth terms without gravity");
    if (root_.find("contact"))
      throw CaseError(root_.find("contact")->place.text(), "contact",
                      "has no place beside manufactured = true");
    const bool heat = equation->find("kind")->is_text() && equation->find("kind")->text() == "heat";
    wave_ = equation->find("kind")->is_text() && equation->find("kind")->text() == "wave";
    if (wave_) {
      const Expression speed = coefficient("speed", 1);
      const bool non_conservative =
          key_of("medium") && key_of("medium")->is_text() && key_of("medium")->text() == "non-conservative";
      storage_ = coefficient("density", 1);
      non_conservative_ = non_conservative ? speed * speed : Expression(1.0);
      damping_ = coefficient("damping", 0);
      for (const auto& axis : axes_)
        conductivity_[axis] = key_of("tension")  ? coefficient("tension", 1)
                              : non_conservative ? Expression(1.0)
                                                 : speed * speed;
      reaction_ = Expression(0.0);
      return;
    }
    storage_ = heat ? coefficient("density", 1) * coefficient("heat_capacity", 1) : coefficient("storage", 1);
    const char* name = heat ? "conductivity" : "diffusivity";
    for (const auto& axis : axes_) {
      const Node* node = key_of(name);
      const Node* own = node && node->is_table() ? node->find(axis) : nullptr;
      conductivity_[axis] = own ? formula(*own, std::string("equation.") + name) : coefficient(name, 1);
    }
    reaction_ = key_of("reaction") ? formula(*key_of("reaction"), "equation.reaction") : Expression(0.0);
    read_velocity();
    if (system_.root) read_system();
  }

  // One formula for each axis, as far as there is one: a list, a table by axis, or the same for all.
  const Node* along_axis(const Node& node, std::size_t axis, const std::string& key) const {
    if (node.is_array()) return axis < node.array().size() ? &node.array()[axis] : nullptr;
    if (node.is_table())
      if (const Node* own = node.find(axes_[axis])) return own;
    if (node.is_table() && !node.find("formula"))
      throw CaseError(node.place.text(), key,
                      "one formula for each axis is needed beside manufactured = true");
    return &node;
  }

  // What a velocity or a flux by formulas takes away at a place.
  void read_velocity() {
    const Node* flux = key_of("flux");
    const Node* velocity = key_of("velocity");
    if (!flux && !velocity) return;
    advects_ = true;
    const Node* form = key_of("form");
    const bool advective = form && form->is_text() && form->text() == "advective";
    for (std::size_t a = 0; a < axes_.size(); ++a) {
      const std::string key = flux ? "equation.flux" : "equation.velocity";
      const Node& given = flux ? *flux : *velocity;
      const Node* own = along_axis(given, a, key);
      if (!own) continue;
      const bool quadratic = flux && own->is_text() && own->text() == "quadratic";
      const Expression value = quadratic ? Expression(0.5) * u_ * u_ : formula(*own, key);
      taken_ = taken_ + (flux        ? divergence(axes_[a], value)
                         : advective ? value * by(u_, axes_[a])
                                     : divergence(axes_[a], value * u_));
    }
  }

  // What the other unknowns make of this one.
  void read_system() {
    const Node& equation = *system_.root->find("equation");
    const Node& own = *equation.find("unknowns")->find(system_.name);
    if (const Node* reaction = own.find("reaction"))
      taken_ = taken_ - formula(*reaction, "equation.reaction");
    const auto value_of = [&](const std::string& name) -> const Expression* {
      const auto found =
          std::ranges::find(system_.solution, name, &std::pair<std::string, Expression>::first);
      return found == system_.solution.end() ? nullptr : &found->second;
    };
    if (const Node* cross = own.find("cross_diffusivity"); cross && cross->is_table())
      for (const Entry& e : cross->table())
        if (const Expression* w = value_of(e.key)) {
          const Expression diffusivity = formula(*e.node, "equation.cross_diffusivity." + e.key);
          for (const auto& axis : axes_) {
            crossing_.emplace(axis, Expression(0.0));
            crossing_[axis] = crossing_[axis] + diffusivity * by(*w, axis);
          }
        }
    for (const auto& [axis, flow] : crossing_) taken_ = taken_ - divergence(axis, flow);
    if (const Node* flux = own.find("flux"); flux && flux->is_table()) {
      advects_ = true;
      for (const Entry& e : flux->table())
        if (std::ranges::find(axes_, e.key) != axes_.end())
          taken_ = taken_ + divergence(e.key, formula(*e.node, "equation.flux." + e.key));
    }
    const Node* velocity = equation.find("velocity");
    if (!velocity || key_of("velocity") || !velocity->is_array()) return;
    advects_ = true;
    const Node* form = equation.find("form");
    const bool conservative = form && form->is_text() && form->text() == "conservative";
    for (std::size_t a = 0; a < std::min(axes_.size(), velocity->array().size()); ++a) {
      const Node& item = velocity->array()[a];
      const Expression* v = item.is_text() ? value_of(item.text()) : nullptr;
      if (!v) continue;
      taken_ = taken_ + (conservative ? divergence(axes_[a], *v * u_) : *v * by(u_, axes_[a]));
    }
  }

  // Of a flow along one axis, in the case's coordinates.
  Expression divergence(const std::string& axis, const Expression& flow) const {
    if (axis != "r") return by(flow, axis);
    const Real power = coordinates_ == "spherical" ? 2 : 1;
    // A factor r of the flow is cancelled, so that nothing is 0/0 at the centre.
    return by(flow, "r") + Expression(power) * (flow / Expression::variable("r"));
  }
  // Of the flow down the gradient.
  Expression spreading() const {
    Expression sum = 0.0;
    for (const auto& axis : axes_) sum = sum + divergence(axis, conductivity_.at(axis) * by(u_, axis));
    return sum;
  }

  void derive_source() {
    if (wave_) {
      const Expression dynamics = by(by(u_, "t"), "t") + damping_ * by(u_, "t");
      put(root_, {"equation", "source"}, printed(storage_ * dynamics - non_conservative_ * spreading()));
      put(root_, {"initial", "rate"}, printed(at_start(by(u_, "t"))));
      return;
    }
    const Expression rate = root_.find("steady") ? Expression(0.0)
                            : key_of("content")  ? by(coefficient("content", 0), "t")
                                                 : storage_ * by(u_, "t");
    put(root_, {"equation", "source"}, printed(rate - spreading() - reaction_ + taken_));
  }

  // On an end of the grid, where its place is a plain number.
  Expression at_boundary(const std::string& axis, int sign, const Expression& e) const {
    const Node* grid = root_.find("grid");
    const Node* of_axis = grid ? grid->find(axis) : nullptr;
    const Node* end = of_axis && of_axis->is_table() ? of_axis->find(sign > 0 ? "to" : "from") : nullptr;
    if (!end) return e;
    return substitute(e, axis, formula(*end, "grid." + axis));
  }

  void derive_boundaries() {
    const Node* boundary = root_.find("boundary");
    if (!boundary)
      throw CaseError(context_.file, "boundary",
                      "missing; boundary kinds are needed, their values are derived");
    if (boundary->find("part"))
      throw CaseError(boundary->find("part")->place.text(), "boundary.part",
                      "has no place beside manufactured = true");
    static const std::map<std::string, std::array<const char*, 2>> ends{{"x", {"west", "east"}},
                                                                        {"y", {"south", "north"}},
                                                                        {"z", {"bottom", "top"}},
                                                                        {"r", {"inner", "outer"}}};
    const Node given = *boundary;
    for (const auto& axis : axes_)
      for (int end = 0; end < 2; ++end) {
        const std::string side = ends.at(axis)[static_cast<std::size_t>(end)];
        const Node* named = given.find(side);
        // There is no boundary at a centre, and what is not named at all is an error that others report.
        if (!named && (side == "inner" || !given.find("default"))) continue;
        const Node& condition = named ? *named : *given.find("default");
        derive_boundary(axis, end == 1 ? 1 : -1, side, condition);
      }
    for (const auto& entry : given.table())
      if (root_.find("region") && root_.find("region")->find(entry.key))
        throw CaseError(
            entry.node->place.text(), "boundary." + entry.key,
            "boundaries of cut-outs have no single normal: they have no place beside manufactured = true");
  }

  void derive_boundary(const std::string& axis, int sign, const std::string& side, const Node& condition) {
    const std::string key = "boundary." + side;
    const Expression outwards = static_cast<Real>(sign), outward = outwards * by(u_, axis);
    const auto crossing = crossing_.find(axis);
    const Expression into = conductivity_.at(axis) * outward +
                            (crossing == crossing_.end() ? Expression(0.0) : outwards * crossing->second);
    const bool plain = condition.is_table() ? condition.find("dirichlet") != nullptr
                                            : condition.is_text() && condition.text() == "periodic";
    if (advects_ && !plain)
      throw CaseError(condition.place.text(), key,
                      "beside advection and manufactured = true a dirichlet or periodic boundary is needed");
    if (condition.is_text()) {
      if (condition.text() == "fixed" || condition.text() == "free") {
        const bool fixed = condition.text() == "fixed";
        if (!vanishes(fixed ? u_ : into, at_boundary(axis, sign, fixed ? u_ : into)))
          put(root_, {"boundary", side},
              table_of("driven", table_of(fixed ? "displacement" : "force", printed(fixed ? u_ : into))));
        return;
      }
      if (condition.text() == "absorbing")
        throw CaseError(condition.place.text(), key,
                        "an absorbing boundary has no value to derive: use fixed, free or driven beside "
                        "manufactured = true");
      if (condition.text() != "insulated") return;
      // Insulated where nothing flows anyway; else what must flow.
      if (!vanishes(into, at_boundary(axis, sign, into)))
        put(root_, {"boundary", side}, table_of("flux", printed(into)));
      return;
    }
    if (!condition.is_table()) return;
    if (condition.find("dirichlet")) {
      put(root_, {"boundary", side}, table_of("dirichlet", printed(u_)));
    } else if (const Node* driven = condition.find("driven"); driven && driven->is_table()) {
      const bool moved = driven->find("displacement") != nullptr;
      put(root_, {"boundary", side},
          table_of("driven", table_of(moved ? "displacement" : "force", printed(moved ? u_ : into))));
    } else if (condition.find("gradient")) {
      put(root_, {"boundary", side}, table_of("gradient", printed(outward)));
    } else if (const Node* robin = condition.find("robin"); robin && robin->find("coefficient")) {
      // What another flux of the boundary lets in is not asked of the exchange.
      const Node* flux = condition.find("flux");
      const Expression rest = into - (flux ? formula(*flux, key + ".flux") : Expression(0.0));
      const Expression h = formula(*robin->find("coefficient"), key + ".robin.coefficient");
      put(root_, {"boundary", side}, condition);
      put(root_, {"boundary", side, "robin", "ambient"}, printed(u_ + rest / h));
    } else if (condition.find("flux")) {
      put(root_, {"boundary", side}, table_of("flux", printed(into)));
    } else if (const Node* radiation = condition.find("radiation");
               radiation && radiation->find("emissivity")) {
      const Expression e = formula(*radiation->find("emissivity"), key + ".radiation.emissivity");
      const Real stefan_boltzmann = 5.670374419e-8;
      put(root_, {"boundary", side}, condition);
      put(root_, {"boundary", side, "radiation", "ambient"},
          printed(power(power(u_, 4.0) + into / (e * Expression(stefan_boltzmann)), 0.25)));
    } else {
      throw CaseError(condition.place.text(), key, "no value can be derived for this condition");
    }
  }

  Node table_of(const std::string& key, const Node& value) const {
    Node table;
    table.place = place_;
    table.value = Node::Table{{key, std::make_shared<Node>(value), place_.line, 0}};
    return table;
  }

  const Context& context_;
  Node& root_;
  OfSystem system_;
  std::string coordinates_;
  std::vector<std::string> axes_;
  Place place_;
  Expression u_, storage_, reaction_, damping_, non_conservative_;
  Expression taken_ = 0.0;  ///< by what advects, and by the other unknowns
  bool wave_ = false, advects_ = false;
  std::map<std::string, Expression> crossing_;  ///< flows up the gradients of other unknowns
  std::map<std::string, Expression> conductivity_;
};

}  // namespace

void manufacture(const Context& context, Node& root) {
  Manufacture(context, root).go();
}

namespace {

// What stands in `view` at a side is what one unknown meets there.
void gather_boundaries(const std::vector<Node>& views, const Words& names, Node& root) {
  Words sides;
  for (const Node& view : views)
    for (const Entry& e : view.find("boundary")->table())
      if (std::ranges::find(sides, e.key) == sides.end()) sides.push_back(e.key);
  Node boundary = *root.find("boundary");
  for (const std::string& side : sides) {
    if (side == "corners") continue;
    // Conditions of all unknowns make room for those of each.
    erase_key(boundary, side);
    for (std::size_t n = 0; n < names.size(); ++n) {
      const Node& given = *views[n].find("boundary");
      if (const Node* own = given.find(side) ? given.find(side) : given.find("default"))
        put(boundary, {side, names[n]}, *own);
    }
  }
  put(root, {"boundary"}, boundary);
}

}  // namespace

void manufacture_system(const Context& context, const Words& names, Node& root) {
  const Node given = root;
  std::vector<Node> views;
  OfSystem system{&given, "", {}};
  for (const std::string& name : names) {
    views.push_back(case_of_unknown(context, given, names, name));
    try {
      if (!views.back().find("exact"))
        throw CaseError(given.find("exact")->place.text(), "exact.value",
                        "missing: manufactured = true needs the solution of each unknown");
      system.solution.emplace_back(name, Manufacture(context, views.back()).solution());
    } catch (const CaseError& e) {
      throw error_of_unknown(given, name, e);
    }
  }
  for (std::size_t n = 0; n < names.size(); ++n) {
    system.name = names[n];
    try {
      Manufacture(context, views[n], system).go();
    } catch (const CaseError& e) {
      throw error_of_unknown(given, names[n], e);
    }
    put(root, {"equation", "unknowns", names[n], "source"}, *views[n].find("equation")->find("source"));
    put(root, {"initial", names[n]}, *views[n].find("initial"));
  }
  gather_boundaries(views, names, root);
}

}  // namespace williwaw::casefile
