#include "arguments.hpp"

#include <fmt/format.h>

#include <sstream>

#include "williwaw/casefile/units.hpp"

namespace williwaw::cli {

std::vector<std::string> split(const std::string& text, char at) {
  std::vector<std::string> parts;
  std::stringstream in(text);
  for (std::string part; std::getline(in, part, at);) parts.push_back(part);
  return parts;
}

std::vector<std::string> split_outside(const std::string& text, char at) {
  std::vector<std::string> parts{""};
  int depth = 0;
  bool quoted = false;
  for (const char c : text) {
    if (c == '"') quoted = !quoted;
    if (!quoted && (c == '{' || c == '[' || c == '(')) ++depth;
    if (!quoted && (c == '}' || c == ']' || c == ')')) --depth;
    if (c == at && depth == 0 && !quoted)
      parts.emplace_back();
    else
      parts.back() += c;
  }
  return parts;
}

Real quantity(const std::string& text, const store::Scale& scale, const std::string& option) {
  if (const auto measured = casefile::split_measured(text)) {
    const auto unit = casefile::Unit::parse(measured->unit);
    if (!unit) throw InputError(option + ": '" + measured->unit + "' is not a unit");
    if (scale.unit.empty() || !unit->same_dimension(casefile::Unit::of(scale.unit)))
      throw InputError(option + ": unit '" + measured->unit + "' does not fit" +
                       (scale.unit.empty() ? "; this run has no units" : "; '" + scale.unit + "' would"));
    return unit->to_si(measured->number);
  }
  std::size_t used = 0;
  Real value = 0;
  try {
    value = std::stod(text, &used);
  } catch (const std::exception&) {
    used = 0;
  }
  if (used == 0 || text.find_first_not_of(' ', used) != std::string::npos)
    throw InputError(option + ": '" + text + "' is not a number" +
                     (scale.unit.empty() ? "" : "; give it in " + scale.unit + " or with a unit"));
  return scale.si(value);
}

std::string trimmed(const std::string& text) {
  const auto from = text.find_first_not_of(' '), to = text.find_last_not_of(' ');
  return from == std::string::npos ? "" : text.substr(from, to - from + 1);
}

Point place(const std::string& text, const Grid& grid, const store::Scale& length,
            const std::string& option) {
  const auto parts = split(text, ',');
  if (static_cast<int>(parts.size()) != grid.dimension())
    throw InputError(fmt::format("{}: {} position{} needed, one for each axis, separated by commas", option,
                                 grid.dimension(), grid.dimension() == 1 ? " is" : "s are"));
  Point result;
  for (int a = 0; a < grid.dimension(); ++a)
    result[grid.direction(a)] = quantity(trimmed(parts[a]), length, option);
  try {
    grid.containing(shown(result, grid, length));
  } catch (const InputError& e) {
    throw InputError(option + ": " + e.what());
  }
  return result;
}

Point shown(const Point& place, const Grid& grid, const store::Scale& length) {
  Point result;
  for (int a = 0; a < grid.dimension(); ++a)
    result[grid.direction(a)] = length.shown(place[grid.direction(a)]);
  return result;
}

std::pair<Point, Point> line(const std::string& text, const Grid& grid, const store::Scale& length,
                             const std::string& option) {
  const auto ends = split(text, ':');
  if (ends.size() != 2) throw InputError(option + ": give two places, X,Y:X,Y");
  return {place(ends[0], grid, length, option), place(ends[1], grid, length, option)};
}

std::vector<Index> records_at(const std::string& wanted_times, const store::FieldReader& fields) {
  const auto& scale = fields.description().time;
  std::vector<Index> records;
  for (const auto& text : split(wanted_times, ',')) {
    const Real wanted = scale.shown(quantity(trimmed(text), scale, "--times"));
    const auto record = fields.record_at(wanted);
    if (!record)
      throw InputError(fmt::format("--times: no record at {}; the nearest is at {:.6g}{}", trimmed(text),
                                   fields.times()[fields.nearest_record(wanted)], scale.suffix()));
    records.push_back(*record);
  }
  if (records.empty())
    for (Index r = 0; r < static_cast<Index>(fields.times().size()); ++r) records.push_back(r);
  return records;
}

}  // namespace williwaw::cli
