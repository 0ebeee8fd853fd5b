#include "reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "casefile/formula/typed_formula.hpp"
#include "map_input.hpp"

namespace williwaw::casefile {

std::string listed(const Words& words, const std::string& last) {
  std::string result;
  for (std::size_t i = 0; i < words.size(); ++i)
    result += (i == 0 ? "" : i + 1 == words.size() ? " " + last + " " : ", ") + words[i];
  return result;
}

namespace {

// Keys and words of earlier case files: the end of the key that they belong to, and what they are called now.
struct Renamed {
  std::string_view key, before, now;
};
constexpr Renamed renamed[] = {{"initial.walls", "walls", "boundary_nodes"},
                               {"outflow.returning", "returning", "backflow"},
                               {"outflow.stabilised", "stabilised", "backflow_stabilization"},
                               {"equation.medium", "divergence", "conservative"},
                               {"equation.medium", "pointwise", "non-conservative"},
                               {"space.reconstruction", "none", "first-order"},
                               {"space.reconstruction", "mc", "monotonized-central"},
                               {"figure.kind", "wall", "boundary"}};

void refuse_renamed(const std::string& place, const std::string& key, const std::string& word) {
  for (const Renamed& r : renamed)
    if (r.before == word && key.ends_with(r.key))
      throw CaseError(place, key, fmt::format("'{}' is called '{}'", word, r.now));
}

}  // namespace

void refuse_word(const std::string& place, const std::string& key, const std::string& kind,
                 const std::string& word, const Words& known, const Words& later) {
  refuse_renamed(place, key, word);
  if (std::ranges::find(later, word) != later.end())
    throw CaseError(place, key, fmt::format("{} '{}' is not there yet", kind, word));
  Words all = known;
  all.insert(all.end(), later.begin(), later.end());
  const std::string near = nearest(word, all);
  if (!near.empty())
    throw CaseError(
        place, key,
        fmt::format("unknown {}{}; did you mean '{}'?", kind, kind == "key" ? "" : " '" + word + "'", near));
  throw CaseError(place, key,
                  fmt::format("unknown {}{}; {} {}", kind, kind == "key" ? "" : " '" + word + "'",
                              known.size() == 1 ? "there is" : "there are", listed(known, "and")));
}

const UnknownInFormulas& no_unknown() {
  static const UnknownInFormulas none;
  return none;
}

std::string Expected::needed() const {
  if (is_temperature()) return name + " is needed here, in 'degC' or 'K'";
  return fmt::format("{} is needed here, in '{}' for example", name,
                     unit.text().empty() ? unit.si_text() : unit.text());
}

Section::Section(const Context&, const Node& node, std::string path) : node_(node), path_(std::move(path)) {
  if (!node_.is_table())
    throw CaseError(node_.place.text(), path_, "a table is needed here, [" + path_ + "] or { .. }");
}

void Section::allow(const Words& known, const Words& later) const {
  for (const auto& e : node_.table()) {
    if (std::ranges::find(known, e.key) != known.end()) continue;
    Place place = e.node->place;
    place.line = e.line;
    if (std::ranges::find(later, e.key) != later.end())
      throw CaseError(place.text(), key_path(e.key), "not there yet");
    refuse_word(place.text(), key_path(e.key), "key", e.key, known, later);
  }
}

const Node& Section::need(const std::string& key, const std::string& what) const {
  if (const Node* found = find(key)) return *found;
  throw CaseError(node_.place.text(), key_path(key), "missing; give " + what);
}

std::string Section::word(const std::string& key, const std::string& otherwise) const {
  const Node* found = find(key);
  if (!found) return otherwise;
  if (!found->is_text()) fail(key, "a text in quotation marks is needed here");
  return found->text();
}

std::string Section::choice(const std::string& key, const std::string& otherwise, const Words& known,
                            const Words& later) const {
  const std::string given = word(key, otherwise);
  if (std::ranges::find(known, given) != known.end()) return given;
  refuse_word(find(key)->place.text(), key_path(key), "value", given, known, later);
}

Index Section::whole(const std::string& key, Index lowest) const {
  const Node& given = need(key, "a whole number");
  const auto* number = std::get_if<std::int64_t>(&given.value);
  if (!number || *number < lowest)
    fail(key, fmt::format("a whole number, {} or more, is needed here", lowest));
  return *number;
}

bool Section::truth(const std::string& key, bool otherwise) const {
  const Node* given = find(key);
  if (!given) return otherwise;
  const auto* value = std::get_if<bool>(&given->value);
  if (!value) fail(key, "true or false is needed here");
  return *value;
}

void Section::fail(const std::string& key, const std::string& text) const {
  const Node* found = find(key);
  throw CaseError((found ? found->place : node_.place).text(), key_path(key), text);
}

bool carries_units(const Node& node) {
  if (node.is_text()) {
    const auto measured = split_measured(node.text());
    return measured && Unit::parse(measured->unit).has_value();
  }
  if (node.is_array()) return std::ranges::any_of(node.array(), carries_units);
  if (node.is_table())
    return std::ranges::any_of(node.table(), [](const Entry& e) {
      return e.key == "unit" || (e.key != "title" && e.key != "name" && carries_units(*e.node));
    });
  return false;
}

std::optional<Unit> unit_written(const Context& context, const Node& node) {
  if (node.is_text()) {
    if (const auto measured = split_measured(node.text())) return Unit::parse(measured->unit);
    const auto constant = context.constants.find(node.text());
    if (constant != context.constants.end() && constant->second.unit) return constant->second.unit;
  }
  if (node.is_array() && !node.array().empty()) return unit_written(context, node.array().front());
  if (const Node* unit = node.find("unit"); unit && unit->is_text()) return Unit::parse(unit->text());
  return std::nullopt;
}

namespace {

class ValueReader {
 public:
  ValueReader(const Context& context, const Node& node, std::string key, const Expected& expected,
              const UnknownInFormulas* unknown)
      : context_(context), node_(node), key_(std::move(key)), expected_(expected), unknown_(unknown) {}

  Value read(const Words& variables) const {
    if (node_.is_number()) return plain(node_.number());
    if (node_.is_text()) return from_text(node_.text(), variables);
    if (node_.is_table()) return from_table(variables);
    fail("a number or a text in quotation marks is needed here");
  }

 private:
  [[noreturn]] void fail(const std::string& text) const { throw CaseError(node_.place.text(), key_, text); }

  std::string example() const {
    const std::string& unit = expected_.unit.text();
    return unit.empty() ? expected_.unit.si_text() : unit;
  }

  Value plain(Real number) const {
    if (!std::isfinite(number)) fail("a finite number is needed here");
    // Zero is the same in every unit, except on a temperature scale.
    if (context_.dimensional && !expected_.unit.is_dimensionless() &&
        (number != 0 || expected_.is_temperature()))
      fail(fmt::format(
          "the number {0} has no unit, but others in this case do; write \"{0} {1}\"{2} if that is meant",
          number, expected_.is_temperature() ? "degC" : example(),
          expected_.is_temperature() ? fmt::format(" or \"{} K\"", number) : ""));
    return {Function(number), fmt::format("{:.10g}", number), ""};
  }

  Value from_text(const std::string& text, const Words& variables) const {
    if (const auto number = number_alone(text)) return plain(*number);
    if (const auto measured = split_measured(text)) {
      if (const auto unit = Unit::parse(measured->unit)) return with_unit(*measured, *unit, text);
      // No formula has a number followed by a word, so a unit was meant.
      fail(fmt::format("'{}' is not a unit: {}{}", measured->unit, expected_.needed(),
                       near_unit(measured->unit)));
    }
    const auto constant = context_.constants.find(text);
    if (constant != context_.constants.end() && context_.dimensional &&
        !constant->second.measure.fits(Dimension(expected_.unit)))
      fail(fmt::format("constant '{}' is {}, but {}", text,
                       constant->second.unit
                           ? "in '" + constant->second.unit->text() + "'"
                           : "'" + constant->second.text + "', " +
                                 (constant->second.measure.dimension.is_pure()
                                      ? "a pure number"
                                      : "in '" + constant->second.measure.dimension.text() + "'"),
                       expected_.needed()));
    try {
      const Expression e = node_.derived
                               ? read_formula(text, context_.values(), variables)
                               : read_si_formula(context_, text, variables, expected_, unknown_in_formulas());
      Value value{checked(function_of(of_u(e))), text, ""};
      if (constant != context_.constants.end()) value.text = text + " (" + constant->second.text + ")";
      return value;
    } catch (const CaseError&) {
      throw;
    } catch (const InputError& e) {
      fail(e.what());
    }
  }

  const UnknownInFormulas& unknown_in_formulas() const { return unknown_ ? *unknown_ : no_unknown(); }

  // Functions call their unknown u, whatever the case calls it.
  Expression of_u(const Expression& e) const {
    return unknown_ && unknown_->name != "u" ? substitute(e, unknown_->name, Expression::variable("u")) : e;
  }

  static std::optional<Real> number_alone(const std::string& text) {
    const auto first = text.find_first_not_of(" \t"), last = text.find_last_not_of(" \t");
    if (first == std::string::npos) return std::nullopt;
    const char* begin = text.data() + first + (text[first] == '+' ? 1 : 0);
    const char* const end = text.data() + last + 1;
    Real number = 0;
    const auto [after, problem] = std::from_chars(begin, end, number);
    if (problem != std::errc{} || after != end || !std::isfinite(number)) return std::nullopt;
    return number;
  }

  // "75 C" and the like.
  std::string near_unit(const std::string& written) const {
    const std::string near =
        nearest(written, expected_.is_temperature()
                             ? Words{"degC", "celsius", "kelvin"}
                             : Words{"W/m/K", "W/m^2/K", "W/m^2", "W/m^3", "kg/m^3", "J/kg/K", "m^2/s", "m/s",
                                     "min", "hour", "day", "second", "metre", "mm", "cm", "km"});
    return near.empty() || !Unit::of(near).same_dimension(expected_.unit) ? ""
                                                                          : "; did you mean '" + near + "'?";
  }

  // A number that does not vary must be one that the quantity can have.
  Function checked(Function f) const {
    if (f.is_constant() && expected_.is_temperature() && context_.dimensional)
      if (const Real kelvin = f(Point{}); kelvin < 0)
        fail(
            fmt::format("{:.6g} degC lies below absolute zero, -273.15 degC; for a difference of "
                        "temperatures give equation.unknown = {{ difference = true }}",
                        kelvin - 273.15));
    return f;
  }

  Value with_unit(const Measured& measured, const Unit& unit, const std::string& text) const {
    if (!unit.same_dimension(expected_.unit))
      fail(fmt::format("unit '{}' does not fit: {}{}", measured.unit, expected_.needed(),
                       near_unit(measured.unit)));
    const Real si = unit.to_si(measured.number, expected_.difference);
    if (!std::isfinite(si)) fail("a finite number is needed here");
    // The SI value is worth saying only where it is another number.
    return {checked(Function(si)), text,
            si == measured.number ? "" : fmt::format("{:.6g} {}", si, unit.si_text())};
  }

  // { default = .., cable = .. }: regions that are not named take the default.
  Value by_region(const Section& section, const Words& variables) const {
    Words known{"default"};
    for (Index r = 0; r < context_.regions->size(); ++r) known.push_back((*context_.regions)[r].name);
    if (known.size() == 1)
      fail("there are no regions in this case: give a single value, or add [region.NAME]");
    section.allow(known, {});
    const auto read_one = [&](const std::string& key) {
      return ValueReader(context_, *section.find(key), section.key_path(key), expected_, unknown_)
          .read(variables);
    };
    const Value rest = read_one("default");
    std::vector<Function> parts(known.size(), rest.function);
    std::string text = rest.text;
    for (std::size_t r = 1; r < known.size(); ++r) {
      if (!section.has(known[r])) continue;
      const Value one = read_one(known[r]);
      parts[r] = one.function;
      text += "; " + known[r] + ": " + one.text;
    }
    return {Function::by_region(context_.regions, std::move(parts)), text, ""};
  }

  Value from_table(const Words& variables) const {
    const Section section(context_, node_, key_);
    if (section.has("default")) return by_region(section, variables);
    for (Index r = 0; r < context_.regions->size(); ++r)
      if (section.has((*context_.regions)[r].name))
        fail("values by region need a default for places outside all regions");
    if (section.has("file")) return value_from_map(context_, section, expected_);
    Words known{"formula", "unit", "file", "variable", "outside"};
    if (unknown_) known.push_back("u_unit");
    section.allow(known, {"u_unit", "table", "region"});
    const std::string formula = section.word("formula", "");
    if (!section.has("formula")) section.need("formula", "a formula, { formula = \"..\", unit = \"..\" }");
    const auto unit = read_unit(section, "unit", expected_.unit, expected_.name);
    std::optional<Unit> u_unit;
    if (unknown_ && unknown_->of_case)
      u_unit = read_unit(section, "u_unit", *unknown_->of_case, "a value of the unknown");
    if (u_unit && !unit)
      section.fail("u_unit", fmt::format("goes with the unit of the result, unit = \"{}\" for example",
                                         expected_.unit.text()));
    if (!unit) return from_text(formula, variables);
    try {
      const Expression e = read_formula_in(context_, formula, variables, *unit, expected_.difference, u_unit,
                                           unknown_in_formulas());
      return {checked(function_of(of_u(e))), formula + " " + unit->text(), ""};
    } catch (const InputError& e) {
      fail(e.what());
    }
  }

  const Context& context_;
  const Node& node_;
  std::string key_;
  const Expected& expected_;
  const UnknownInFormulas* unknown_;
};

}  // namespace

Value read_value(const Context& context, const Node& node, const std::string& key, const Expected& expected,
                 const Words& variables, const UnknownInFormulas* unknown) {
  if (!unknown) return ValueReader(context, node, key, expected, nullptr).read(variables);
  Words with_u = variables;
  with_u.push_back(unknown->name);
  return ValueReader(context, node, key, expected, unknown).read(with_u);
}

Real read_number(const Context& context, const Node& node, const std::string& key, const Expected& expected) {
  const Value value = read_value(context, node, key, expected, {});
  const Real number = value.function(Point{});
  if (!std::isfinite(number)) throw CaseError(node.place.text(), key, "a finite number is needed here");
  return number;
}

Point read_point(const Context& context, const Node& node, const std::string& key, const Grid& grid) {
  if (!node.is_array() || static_cast<int>(node.array().size()) != grid.dimension())
    throw CaseError(node.place.text(), key,
                    fmt::format("a list of {} position{} is needed here, one for each axis", grid.dimension(),
                                grid.dimension() == 1 ? "" : "s"));
  Point p;
  for (int a = 0; a < grid.dimension(); ++a)
    p[grid.direction(a)] = read_number(context, node.array()[a], key, {Unit::of("m"), false, "a length"});
  try {
    grid.containing(p);
  } catch (const InputError& e) {
    throw CaseError(node.place.text(), key, e.what());
  }
  return p;
}

}  // namespace williwaw::casefile
