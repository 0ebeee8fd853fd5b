#include "williwaw/casefile/readable.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace williwaw::casefile {

std::string readable(Real value, int digits) {
  if (std::isinf(value)) return value > 0 ? "unlimited" : "-∞";
  return fmt::format("{:.{}g}", value, digits);
}

std::string readable(Real value, const std::string& unit, int digits) {
  return readable(value, digits) + (unit.empty() || std::isinf(value) ? "" : " " + unit);
}

std::string readable_bytes(Real bytes) {
  for (const auto& [name, size] : {std::pair{"TB", 1e12}, {"GB", 1e9}, {"MB", 1e6}})
    if (bytes >= size) return fmt::format("{:.3g} {}", bytes / size, name);
  return fmt::format("{:.3g} kB", bytes / 1e3);
}

std::string readable_wait(Real seconds) {
  if (seconds < 0.1) return "below 0.1 s";
  if (seconds < 9.95) return fmt::format("{:.2g} s", seconds);
  if (seconds < 99.5) return fmt::format("{:.0f} s", seconds);
  if (seconds < 7200) return fmt::format("{:.0f} min", seconds / 60);
  if (seconds < 172800) return fmt::format("{:.1f} h", seconds / 3600);
  if (seconds < 2 * 31557600.0) return fmt::format("{:.1f} days", seconds / 86400);
  return fmt::format("{:.3g} years", seconds / 31557600.0);
}

}  // namespace williwaw::casefile
