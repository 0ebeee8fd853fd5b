#include "arguments.hpp"

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

}  // namespace williwaw::cli
