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

class Manufacture {
 public:
  Manufacture(const Context& context, Node& root) : context_(context), root_(root) {
    const Node* grid = root.find("grid");
    if (!grid) throw CaseError(context.file, "grid", "missing; a case needs a [grid]");
    const Node* form = grid->find("coordinates");
    coordinates_ = form && form->is_text() ? form->text() : "cartesian";
    for (const char* axis : {"x", "y", "z", "r"})
      if (grid->find(axis)) axes_.emplace_back(axis);
  }

  void go() {
    const Node* exact = root_.find("exact")->find("value");
    if (!exact || (exact->is_text() && exact->text() == "initial"))
      throw CaseError(root_.find("exact")->place.text(), "exact.value",
                      "a formula is needed here: sources and boundaries are derived from it");
    place_ = exact->place;
    u_ = formula(*exact, "exact.value");
    read_equation();
    derive_source();
    derive_boundaries();
    if (const Node* first = root_.find("initial"); !root_.find("steady") || !first) put_initial(*exact);
  }

 private:
  // What coefficients and boundary values are when the unknown is the exact solution.
  Expression formula(const Node& node, const std::string& key) const {
    const Expression e = written(node, key);
    return key == "exact.value" || key == "equation.reaction" ? e : substitute(e, "u", u_);
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
    all.insert(all.end(), {"t", "u"});
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
  }

  // Divergence of the flow down the gradient, in the case's coordinates.
  Expression spreading() const {
    Expression sum = 0.0;
    for (const auto& axis : axes_) {
      const Expression flow = conductivity_.at(axis) * by(u_, axis);
      if (axis == "r") {
        const Real power = coordinates_ == "spherical" ? 2 : 1;
        // A factor r of the flow is cancelled, so that nothing is 0/0 at the centre.
        sum = sum + by(flow, "r") + Expression(power) * (flow / Expression::variable("r"));
      } else {
        sum = sum + by(flow, axis);
      }
    }
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
    put(root_, {"equation", "source"}, printed(rate - spreading() - substitute(reaction_, "u", u_)));
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
      if (context_.regions && root_.find("region") && root_.find("region")->find(entry.key))
        throw CaseError(
            entry.node->place.text(), "boundary." + entry.key,
            "boundaries of cut-outs have no single normal: they have no place beside manufactured = true");
  }

  void derive_boundary(const std::string& axis, int sign, const std::string& side, const Node& condition) {
    const std::string key = "boundary." + side;
    const Expression outward = Expression(static_cast<Real>(sign)) * by(u_, axis),
                     into = conductivity_.at(axis) * outward;
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
  std::string coordinates_;
  std::vector<std::string> axes_;
  Place place_;
  Expression u_, storage_, reaction_, damping_, non_conservative_;
  bool wave_ = false;
  std::map<std::string, Expression> conductivity_;
};

}  // namespace

void manufacture(const Context& context, Node& root) {
  Manufacture(context, root).go();
}

}  // namespace williwaw::casefile
