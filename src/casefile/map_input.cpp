#include "map_input.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <functional>

#include "williwaw/casefile/readable.hpp"

namespace williwaw::casefile {

std::vector<Real> coordinates_of(const store::Map& map, const Point& place) {
  std::vector<Real> result;
  for (const auto& axis : map.axes) result.push_back(place[axis.name == "r" ? 0 : axis.name[0] - 'x']);
  return result;
}

namespace {

// Coordinates as the grid measures them. Nothing where the map has others and `strict` is not asked for.
bool place_map(const Context& context, const Section& section, const std::string& key,
               const std::string& variable, bool strict, store::Map& map) {
  const auto foreign = [&](const auto& axis) {
    return std::ranges::find(context.variables, axis.name) == context.variables.end();
  };
  if (!strict && std::ranges::any_of(map.axes, foreign)) return false;
  for (auto& axis : map.axes) {
    if (foreign(axis))
      section.fail(key,
                   fmt::format("'{}' has a dimension '{}', which is no axis of this grid; its axes are {}",
                               variable, axis.name, listed(context.variables, "and")));
    if (axis.points.empty())
      section.fail(key,
                   fmt::format("dimension '{}' has no coordinates: the file needs a variable of that name",
                               axis.name));
    if (axis.unit.empty()) continue;
    const auto unit = Unit::parse(axis.unit);
    if (!unit || !unit->same_dimension(Unit::of("m")))
      section.fail(key, fmt::format("coordinate '{}' is in '{}', which is no length", axis.name, axis.unit));
    if (context.dimensional)
      for (Real& p : axis.points) p = unit->to_si(p);
  }
  return true;
}

// Values in SI.
void measure_map(const Context& context, const Section& section, const std::string& key,
                 const std::string& written, const Expected& expected, store::Map& map) {
  if (!context.dimensional) return;
  const auto unit = Unit::parse(written);
  if (!unit) section.fail(key, fmt::format("'{}' is not a unit; give unit = \"..\"", written));
  if (!unit->same_dimension(expected.unit))
    section.fail(key, fmt::format("unit '{}' does not fit: {}", written, expected.needed()));
  map.measured = [unit = *unit, difference = expected.difference](Real v) {
    return unit.to_si(v, difference);
  };
}

}  // namespace

std::optional<store::Map> read_placed_map(const Context& context, const Section& section, bool strict) {
  section.need("file", "a NetCDF file");
  section.need("variable", "the variable in it");
  const std::string variable = section.word("variable", "");
  store::Map map;
  try {
    map = store::read_map(context.folder / section.word("file", ""), variable);
  } catch (const store::StoreError& e) {
    section.fail("file", e.what());
  }
  if (std::ranges::all_of(map.axes, [](const auto& a) { return a.points.empty(); })) return std::nullopt;
  if (!place_map(context, section, "variable", variable, strict, map)) return std::nullopt;
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
  measure_map(context, section, section.has("unit") ? "unit" : "variable", section.word("unit", map->unit),
              expected, *map);
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

namespace {

// Files of a folder whose names match one with stars.
std::vector<std::filesystem::path> matching(const std::filesystem::path& pattern) {
  if (pattern.filename().string().find('*') == std::string::npos) return {pattern};
  const std::function<bool(const char*, const char*)> match = [&](const char* p, const char* s) -> bool {
    if (*p == 0) return *s == 0;
    if (*p == '*') return match(p + 1, s) || (*s != 0 && match(p, s + 1));
    return *p == *s && match(p + 1, s + 1);
  };
  std::vector<std::filesystem::path> result;
  std::error_code ignored;
  const auto folder = pattern.has_parent_path() ? pattern.parent_path() : std::filesystem::path(".");
  for (const auto& entry : std::filesystem::directory_iterator(folder, ignored))
    if (match(pattern.filename().c_str(), entry.path().filename().c_str())) result.push_back(entry.path());
  std::ranges::sort(result);
  return result;
}

// "hours since 2020-01-01" counts hours from the start of the case.
std::vector<Real> times_of(const Context& context, const Section& section, const store::Map::Along& axis) {
  std::vector<Real> times = axis.points;
  if (!context.dimensional) return times;
  const auto unit = Unit::parse(axis.unit.substr(0, axis.unit.find(" since")));
  if (!unit || !unit->same_dimension(Unit::of("s")))
    section.fail("files", fmt::format("their times are in '{}', which is no unit of time", axis.unit));
  for (Real& t : times) t = unit->to_si(t);
  return times;
}

}  // namespace

MapSeries read_map_series(const Context& context, const Section& section, const std::string& variable,
                          const Expected& expected) {
  section.need("files", "a NetCDF file, or several by a name with *");
  const auto files = matching(context.folder / section.word("files", ""));
  if (files.empty()) section.fail("files", fmt::format("no file matches '{}'", section.word("files", "")));
  struct Level {
    Real time;
    store::Map map;
  };
  std::vector<Level> levels;
  for (const auto& file : files) {
    store::Map map;
    try {
      map = store::read_map(file, variable);
    } catch (const store::StoreError& e) {
      section.fail("files", e.what());
    }
    if (map.axes.empty() || map.axes[0].name != "time" || map.axes[0].points.empty())
      section.fail("variables",
                   fmt::format("'{}' in {} needs a first dimension 'time' with a variable of that name",
                               variable, file.filename().string()));
    const auto times = times_of(context, section, map.axes[0]);
    for (std::size_t n = 0; n < times.size(); ++n) {
      store::Map one = map.at_first(n);
      place_map(context, section, "variables", variable, true, one);
      measure_map(context, section, "variables", map.unit, expected, one);
      levels.push_back({times[n], std::move(one)});
    }
  }
  std::ranges::sort(levels, {}, &Level::time);
  MapSeries series;
  for (const Level& level : levels) {
    if (!series.times.empty() && level.time <= series.times.back())
      section.fail("files", fmt::format("'{}' is given twice at time {}", variable, readable(level.time)));
    series.times.push_back(level.time);
  }
  const auto shared = std::make_shared<const std::vector<Level>>(std::move(levels));
  const bool nearest = section.choice("outside", "error", {"nearest", "error"}, {}) == "nearest";
  const std::string place = section.find("files")->place.text(), key = section.key_path("files");
  series.function = Function::by_line(
      [shared, nearest, place, key](const Points& points, Real t, std::span<Real> out) {
        const auto next = std::ranges::lower_bound(*shared, t, {}, &Level::time);
        const auto high = next == shared->end() ? next - 1 : next,
                   low = high == shared->begin() || high->time <= t ? high : high - 1;
        const Real fraction = high->time > low->time ? (t - low->time) / (high->time - low->time) : 0;
        // Land has no velocity, and none is known there.
        const auto value = [&](const Level& level, const std::vector<Real>& at) {
          try {
            return level.map.at(at, nearest);
          } catch (const store::StoreError& e) {
            if (std::string(e.what()).find("no value") != std::string::npos) return 0.0;
            throw CaseError(place, key, e.what());
          }
        };
        for (Index i = 0; i < points.size(); ++i) {
          const auto at = coordinates_of(low->map, points[i]);
          out[i] = fraction == 0 ? value(*low, at)
                                 : (1 - fraction) * value(*low, at) + fraction * value(*high, at);
        }
      },
      true, true);
  return series;
}

}  // namespace williwaw::casefile
