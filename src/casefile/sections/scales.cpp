// The units in which a case shows what it computes.
#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

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

// In what time the case says what flows: the last part of a unit such as m^3/day, where it is one of time.
std::optional<std::string> time_of_rate(const Unit& unit) {
  const std::size_t at = unit.text().rfind('/');
  if (at == std::string::npos) return std::nullopt;
  const std::string last = unit.text().substr(at + 1);
  const auto parsed = Unit::parse(last);
  if (!parsed || !parsed->same_dimension(Unit::of("s")) || last == "s") return std::nullopt;
  return last;
}

// Rates and fluxes wherever they stand in a table.
void add_rates(const Node& node, std::vector<const Node*>& candidates) {
  if (!node.is_table()) return;
  for (const Entry& entry : node.table())
    if (entry.key == "rate" || entry.key == "flux")
      candidates.push_back(entry.node.get());
    else
      add_rates(*entry.node, candidates);
}

std::string time_of_flows(const Context& context, const Node& root) {
  std::vector<const Node*> candidates;
  const Node& equation = *root.find("equation");
  if (const Node* points = equation.find("points"); points && points->is_array())
    for (const Node& point : points->array()) candidates.push_back(point.find("rate"));
  for (const Node* n : children(&equation, {"diffusivity", "conductivity", "velocity", "source"}))
    candidates.push_back(n);
  if (const Node* boundary = root.find("boundary")) add_rates(*boundary, candidates);
  for (const Node* c : candidates)
    if (c)
      if (const auto unit = unit_written(context, *c)) return time_of_rate(*unit).value_or("s");
  return "s";
}

// What flows in a second, in another time.
store::Scale in_time(const std::string& unit, const std::string& time) {
  constexpr std::string_view each_second = "/s";
  if (time == "s" || !unit.ends_with(each_second)) return {unit, 1, 0};
  const std::string changed = unit.substr(0, unit.size() - each_second.size()) + "/" + time;
  return {changed, Unit::of(time).to_si(1), 0};
}

const Words fluxes{"W/m^2", "kg/m^2/s", "mol/m^2/s", "m/s", "m^2/s^2"};

}  // namespace

store::Scale scale_in(const Unit& unit) {
  const Real zero = unit.from_si(0);
  // From far apart, so that a zero point (273.15) costs the factor no digits.
  return {unit.text(), (unit.from_si(1e9) - zero) / 1e9, zero};
}

void choose_scales(const Context& context, const Node& root, const EquationKind& kind,
                   const Dimensions& dimensions, Case& result) {
  const bool shown = context.dimensional;
  std::vector<const Node*> lengths;
  for (const char* axis : {"x", "y", "z", "r"})
    for (const Node* n : children(root.find("grid")->find(axis), {"to", "from", "spacing", "faces"}))
      lengths.push_back(n);
  const auto scale = [shown](const Unit& unit, const char* otherwise) {
    if (!shown) return store::Scale{};
    return scale_in(unit.same_dimension(Unit::of(otherwise)) ? unit : Unit::of(otherwise));
  };
  result.length = scale(first_unit(context, lengths, "m"), "m");
  // Of a run that ends by itself the records tell better than the step what times are counted in.
  std::vector<const Node*> times = children(root.find("time"), {"until", "lasts"});
  for (const auto& [table, key] : {std::pair{"record", "every"}, {"cycle", "period"}, {"time", "step"}})
    for (const Node* n : children(root.find(table), {key})) times.push_back(n);
  result.time = scale(first_unit(context, times, "s"), "s");
  const Unit value = shown_unit(kind, context, root);
  result.value = scale(value, value.text().c_str());
  // A plain number stands without a unit.
  if (result.value.unit == "1") result.value.unit.clear();
  if (!shown) return;
  // A difference has no zero point: degC stand for K.
  if (dimensions.difference && value.has_origin()) result.value = scale(Unit::of("K"), "K");
  result.absolute_temperature = dimensions.of_temperature();
  const int dimension = result.problem.grid().volume_dimension();
  if (kind.unknown == "temperature") {
    result.amount_unit = dimension == 1 ? "J/m^2" : dimension == 2 ? "J/m" : "J";
    result.flow_scale.unit = dimension == 1 ? "W/m^2" : dimension == 2 ? "W/m" : "W";
    result.flux_scale.unit = "W/m^2";
  } else if (dimensions.waves) {
    // The energy of the motion, half of what is stored times the square of the rate.
    const Unit energy = dimensions.storage * dimensions.rate.power(2) * Unit::of("m").power(dimension);
    result.amount_unit = by_known_name(energy, {"J", "J/m", "J/m^2", "m^3/s^2", "m^4/s^2", "m^5/s^2"});
    result.flow_scale.unit =
        by_known_name(energy / Unit::of("s"), {"W", "W/m", "W/m^2", "m^3/s^3", "m^4/s^3", "m^5/s^3"});
    result.flux_scale.unit = by_known_name(dimensions.flux, fluxes);
  } else {
    const Unit amount = dimensions.storage * dimensions.unknown * Unit::of("m").power(dimension);
    result.amount_unit =
        by_known_name(amount, {"kg", "kg/m", "kg/m^2", "m", "m^2", "m^3", "m^2/s", "m^3/s", "mol", "mol/m"});
    const std::string time = time_of_flows(context, root);
    result.flow_scale =
        in_time(by_known_name(amount / Unit::of("s"),
                              {"kg/s", "kg/m/s", "kg/m^2/s", "m/s", "m^2/s", "m^3/s", "m^2/s^2", "m^3/s^2"}),
                time);
    result.flux_scale = in_time(by_known_name(dimensions.flux, fluxes), time);
  }
}

}  // namespace williwaw::casefile
