// What carries the unknown: velocity by numbers, formulas, a stream function or files; flux laws by
// formulas.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/map_input.hpp"
#include "casefile/sections/sections.hpp"
#include "williwaw/casefile/readable.hpp"

namespace williwaw::casefile {

namespace {

Expected a_velocity() {
  return {Unit::of("m/s"), false, "a velocity"};
}

// f(u) and its derivative as formulas, along each axis.
class FormulaFlux final : public FluxLaw {
 public:
  struct Along {
    Reaction flux, speed;
  };
  FormulaFlux(std::array<std::shared_ptr<Along>, 3> along, std::string name)
      : along_(std::move(along)), name_(std::move(name)) {}
  std::string name() const override { return name_; }
  void flux(int direction, std::span<const Real> u, std::span<Real> out) const override {
    along_[static_cast<std::size_t>(direction)]->flux.rate(Points(static_cast<Index>(u.size())), 0, u, out);
  }
  void speed(int direction, std::span<const Real> u, std::span<Real> out) const override {
    along_[static_cast<std::size_t>(direction)]->speed.rate(Points(static_cast<Index>(u.size())), 0, u, out);
  }

 private:
  std::array<std::shared_ptr<Along>, 3> along_;
  std::string name_;
};

// "u*(1 - u)", or { formula, unit, u_unit }.
std::shared_ptr<FormulaFlux::Along> read_flux_formula(const Context& context, const Node& node,
                                                      const std::string& key, const Dimensions& dimensions,
                                                      std::string& formula, std::string& derivative_text) {
  const WrittenFormula written = read_written_formula(context, node, key, {dimensions.flux, false, "a flux"},
                                                      {"u"}, dimensions.in_formulas());
  formula = written.text;
  try {
    auto result = std::make_shared<FormulaFlux::Along>();
    const Expression speed = derivative(written.expression, "u");
    result->flux = reaction_of(written.expression);
    result->speed = reaction_of(speed);
    derivative_text = speed.short_text();
    return result;
  } catch (const InputError& e) {
    throw CaseError(node.place.text(), key, e.what());
  }
}

}  // namespace

std::size_t direction_of(const std::string& axis) {
  return axis == "r" ? 0 : static_cast<std::size_t>(axis[0] - 'x');
}

namespace {

// One node for each axis: the same for all, a list, or a table by axis.
std::vector<const Node*> by_axis(const Context& context, const Node& node, const std::string& key,
                                 const Words& besides) {
  const std::size_t dimension = context.variables.size();
  std::vector<const Node*> result;
  if (node.is_array()) {
    if (node.array().size() != dimension)
      throw CaseError(node.place.text(), key,
                      fmt::format("a list of {} is needed here, one for each of {}", dimension,
                                  listed(context.variables, "and")));
    for (const Node& n : node.array()) result.push_back(&n);
    return result;
  }
  const bool table = node.is_table() && std::ranges::any_of(node.table(), [&](const Entry& e) {
                       return std::ranges::find(context.variables, e.key) != context.variables.end();
                     });
  if (!table) return std::vector<const Node*>(dimension, &node);
  const Section section(context, node, key);
  Words known = context.variables;
  known.insert(known.end(), besides.begin(), besides.end());
  section.allow(known, {});
  for (const auto& axis : context.variables) result.push_back(&section.need(axis, "one for each axis"));
  return result;
}

Velocity from_files(const Context& context, const Section& section, std::string& text) {
  section.allow({"files", "variables", "period", "divergence_free", "outside", "after"}, {});
  const std::string after = section.choice("after", "end", {"end", "hold"}, {});
  const Node& names = section.need("variables", "the names of the components in the files");
  if (!names.is_array() || names.array().size() != context.variables.size() ||
      std::ranges::any_of(names.array(), [](const Node& n) { return !n.is_text(); }))
    section.fail("variables", fmt::format("a list of {} names is needed here, one for each of {}",
                                          context.variables.size(), listed(context.variables, "and")));
  Velocity velocity;
  std::size_t component = 0;
  for (const Node& name : names.array()) {
    const MapSeries series = read_map_series(context, section, name.text(), a_velocity());
    if (component == 0) velocity.instants = series.times;
    if (series.times != velocity.instants)
      section.fail("variables", fmt::format("'{}' and '{}' are not given at the same times",
                                            names.array()[0].text(), name.text()));
    velocity.along[direction_of(context.variables[component++])] = series.function;
  }
  if (const Node* period = section.find("period")) {
    velocity.period =
        read_number(context, *period, section.key_path("period"), {Unit::of("s"), false, "a time"});
    const Real covered = velocity.instants.back() - velocity.instants.front();
    if (!(velocity.period >= covered * (1 - 1e-9)))
      section.fail("period", fmt::format("must not be shorter than the time that the files cover, {} s",
                                         readable(covered)));
    // A last instant that repeats the first one says nothing new.
    if (velocity.instants.size() > 1 && covered > velocity.period * (1 - 1e-9)) velocity.instants.pop_back();
  }
  velocity.hold_after = after == "hold";
  if (velocity.hold_after && velocity.period > 0) section.fail("after", "excludes a period");
  Words variables;
  for (const Node& name : names.array()) variables.push_back(name.text());
  text = fmt::format("{} from {}, {} times{}", listed(variables, "and"), section.word("files", ""),
                     velocity.instants.size(), velocity.period > 0 ? ", periodic" : "");
  return velocity;
}

void read_velocity(const Context& context, const Section& equation_section, Equation& equation,
                   std::vector<std::pair<std::string, Value>>& shown) {
  const Node& node = equation_section.need("velocity", "a velocity, in 'm/s' for example");
  const std::string key = equation_section.key_path("velocity");
  Words variables = context.variables;
  variables.push_back("t");
  Velocity& velocity = equation.advection->velocity;
  const auto show = [&](const std::string& name, const std::string& text) {
    shown.emplace_back(name, Value{Function(NAN), text, ""});
  };
  if (node.is_table() && node.find("files")) {
    std::string text;
    velocity = from_files(context, Section(context, node, key), text);
    show("velocity", text);
  } else if (node.is_table() && node.find("stream_function")) {
    const Section section(context, node, key);
    section.allow({"stream_function", "unit", "divergence_free"}, {});
    if (context.variables.size() != 2)
      section.fail("stream_function", "gives a velocity in a plane of two axes");
    Node formula = *section.find("stream_function");
    if (section.has("unit")) {
      Node wrapped = node;
      auto& table = std::get<Node::Table>(wrapped.value);
      std::erase_if(table, [](const Entry& e) { return e.key == "divergence_free"; });
      for (Entry& e : table)
        if (e.key == "stream_function") e.key = "formula";
      formula = wrapped;
    }
    const Value psi = read_value(context, formula, section.key_path("stream_function"),
                                 {Unit::of("m^2/s"), false, "a stream function"}, variables);
    velocity = Velocity::of_stream_function(psi.function);
    show("velocity", "from the stream function " + psi.text);
  } else {
    const auto nodes = by_axis(context, node, key, {"divergence_free"});
    if (nodes.size() > 1 && nodes[0] == nodes[1])
      throw CaseError(node.place.text(), key,
                      fmt::format("a list is needed here, [..], one number or formula for each of {}; or {{ "
                                  "stream_function = \"..\" }}, or {{ files = \"..\", variables = [..] }}",
                                  listed(context.variables, "and")));
    for (std::size_t a = 0; a < nodes.size(); ++a) {
      const Value v = read_value(context, *nodes[a], key, a_velocity(), variables);
      velocity.along[direction_of(context.variables[a])] = v.function;
      shown.emplace_back(nodes.size() > 1 ? "velocity." + context.variables[a] : "velocity", v);
    }
  }
  if (node.is_table()) velocity.divergence_free = Section(context, node, key).truth("divergence_free", false);
  if (velocity.divergence_free) show("divergence", "removed by the smallest change of the velocity");
  equation.advection->conservative =
      equation_section.choice("form", "conservative", {"conservative", "advective"}, {}) == "conservative";
  if (!equation.advection->conservative) show("form", "advective: velocity·∇u");
}

void read_flux(const Context& context, const Section& equation_section, const Dimensions& dimensions,
               Equation& equation, std::vector<std::pair<std::string, Value>>& shown) {
  const Node& node = equation_section.need("flux", "f(u), a formula or \"quadratic\"");
  const std::string key = equation_section.key_path("flux");
  if (node.is_text() && node.text() == "quadratic") {
    if (context.dimensional && !dimensions.unknown.same_dimension(Unit::of("m/s")))
      throw CaseError(node.place.text(), key,
                      "the quadratic flux u²/2 needs a velocity as unknown, in 'm/s' for example");
    equation.advection->law = quadratic_flux();
    shown.emplace_back("flux", Value{Function(NAN), "u²/2 along every axis (quadratic)", ""});
    return;
  }
  // { formula, unit } is one flux for all axes.
  const auto nodes = node.is_table() && node.find("formula")
                         ? std::vector<const Node*>(context.variables.size(), &node)
                         : by_axis(context, node, key, {});
  std::array<std::shared_ptr<FormulaFlux::Along>, 3> along;
  std::string name;
  for (std::size_t a = 0; a < nodes.size(); ++a) {
    const bool same = a > 0 && nodes[a] == nodes[0];
    const auto direction = direction_of(context.variables[a]);
    if (same) {
      along[direction] = along[direction_of(context.variables[0])];
      continue;
    }
    std::string formula, derivative;
    along[direction] = read_flux_formula(context, *nodes[a], key, dimensions, formula, derivative);
    name += (name.empty() ? "" : ", ") + formula;
    shown.emplace_back(nodes.size() > 1 && nodes[1] != nodes[0] ? "flux." + context.variables[a] : "flux",
                       Value{Function(NAN), fmt::format("{}, with the speed {}", formula, derivative), ""});
  }
  equation.advection->law = std::make_shared<FormulaFlux>(std::move(along), name);
}

}  // namespace

void read_advection(const Context& context, const Section& section, const EquationKind& kind,
                    const Dimensions& dimensions, Equation& equation,
                    std::vector<std::pair<std::string, Value>>& shown) {
  const bool in_common = kind.several_unknowns && section.has("velocity");
  if (in_common) equation.advection.emplace();
  if (kind.has_velocity || in_common) read_velocity(context, section, equation, shown);
  if (kind.has_flux) read_flux(context, section, dimensions, equation, shown);
}

}  // namespace williwaw::casefile
