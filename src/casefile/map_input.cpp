#include "map_input.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace williwaw::casefile {

std::vector<Real> coordinates_of(const store::Map& map, const Point& place) {
  std::vector<Real> result;
  for (const auto& axis : map.axes) result.push_back(place[axis.name == "r" ? 0 : axis.name[0] - 'x']);
  return result;
}

std::optional<store::Map> read_placed_map(const Context& context, const Section& section, bool strict) {
  section.need("file", "a NetCDF file");
  section.need("variable", "the variable in it");
  store::Map map;
  try {
    map = store::read_map(context.folder / section.word("file", ""), section.word("variable", ""));
  } catch (const store::StoreError& e) {
    section.fail("file", e.what());
  }
  if (std::ranges::all_of(map.axes, [](const auto& a) { return a.points.empty(); })) return std::nullopt;
  const auto foreign = [&](const auto& axis) {
    return std::ranges::find(context.variables, axis.name) == context.variables.end();
  };
  if (!strict && std::ranges::any_of(map.axes, foreign)) return std::nullopt;
  for (auto& axis : map.axes) {
    if (foreign(axis))
      section.fail("variable",
                   fmt::format("'{}' has a dimension '{}', which is no axis of this grid; its axes are {}",
                               section.word("variable", ""), axis.name, listed(context.variables, "and")));
    if (axis.points.empty())
      section.fail("variable",
                   fmt::format("dimension '{}' has no coordinates: the file needs a variable of that name",
                               axis.name));
    if (axis.unit.empty()) continue;
    const auto unit = Unit::parse(axis.unit);
    if (!unit || !unit->same_dimension(Unit::of("m")))
      section.fail("variable",
                   fmt::format("coordinate '{}' is in '{}', which is no length", axis.name, axis.unit));
    if (context.dimensional)
      for (Real& p : axis.points) p = unit->to_si(p);
  }
  return map;
}

Value value_from_map(const Context& context, const Section& section, const Expected& expected) {
  section.allow({"file", "variable", "unit", "outside"}, {});
  auto map = read_placed_map(context, section, true);
  const std::string name = section.word("variable", "");
  if (!map)
    section.fail(
        "variable",
        fmt::format("'{}' has no coordinates: the file needs variables called like its dimensions", name));
  const bool nearest = section.choice("outside", "error", {"nearest", "error"}, {}) == "nearest";
  const std::string written = section.word("unit", map->unit);
  if (context.dimensional) {
    const auto unit = Unit::parse(written);
    const std::string key = section.has("unit") ? "unit" : "variable";
    if (!unit) section.fail(key, fmt::format("'{}' is not a unit; say it by unit = \"..\"", written));
    if (!unit->same_dimension(expected.unit))
      section.fail(key, fmt::format("unit '{}' does not fit: {} is needed here, in '{}' for example", written,
                                    expected.name, expected.unit.text()));
    for (Real& v : map->values) v = unit->to_si(v, expected.difference);
  }
  const auto shared = std::make_shared<const store::Map>(std::move(*map));
  const std::string place = section.find("file")->place.text(), key = section.key_path("file");
  Value value;
  value.function = Function::by_line(
      [shared, nearest, place, key](const Points& points, Real, std::span<Real> out) {
        for (Index i = 0; i < points.size(); ++i) try {
            out[i] = shared->at(coordinates_of(*shared, points[i]), nearest);
          } catch (const store::StoreError& e) {
            throw CaseError(place, key, e.what());
          }
      },
      true, false);
  value.text = fmt::format("{} from {}", name, section.word("file", ""));
  return value;
}

}  // namespace williwaw::casefile
