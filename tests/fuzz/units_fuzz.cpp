// Units and numbers with units.
#include <array>
#include <cmath>
#include <cstdint>
#include <string>

#include "counted.hpp"
#include "williwaw/casefile/units.hpp"
#include "williwaw/grid/types.hpp"

using namespace williwaw;

namespace {

constexpr std::array names{"m",  "mm", "km", "kg",  "g",   "s",   "h",   "day", "K", "degC", "degF", "W",
                           "kW", "J",  "Pa", "mol", "kPa", "bar", "rad", "deg", "%", "1",    "yr",   "Hz"};
constexpr std::array between{"/", ".", "*", " ", "^", "", "/(", ")"};
constexpr std::array powers{"", "", "", "^2", "-1", "3", "^-4", "^0.5", "222"};

// Names with powers and what stands between them, or the bytes as they are; a number before them or none.
std::string text_of(const std::uint8_t* data, std::size_t size) {
  if (size == 0 || data[0] % 8 == 0) return {reinterpret_cast<const char*>(data), size};
  std::string text = data[0] % 8 == 1 ? "-4.5e3 " : "";
  for (std::size_t n = 1; n < size; ++n) {
    if (n % 3 == 1) text += names[data[n] % names.size()];
    if (n % 3 == 2) text += powers[data[n] % powers.size()];
    if (n % 3 == 0 && n + 1 < size)
      text += between[data[n] % 32 < between.size() ? data[n] % 32 : data[n] % 3];
  }
  return text;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text = text_of(data, std::min<std::size_t>(size, 12));
  ++fuzz::count().tried;
  const auto measured = casefile::split_measured(text);
  const auto unit = casefile::Unit::parse(measured ? measured->unit : text);
  if (!unit) return 0;
  ++fuzz::count().accepted;
  // There and back, and what SI calls it has its dimension.
  const Real there = unit->to_si(3), back = unit->from_si(there);
  if (std::isfinite(there) && std::isfinite(back) && std::abs(there) > 1e-200 &&
      std::abs(back - 3) > 1e-6 * (3 + std::abs(unit->from_si(0))))
    __builtin_trap();
  if (const auto base = casefile::Unit::parse(unit->si_text()); base && !base->same_dimension(*unit))
    __builtin_trap();
  unit->exponents();
  try {
    const casefile::Unit square = *unit * *unit;
    if (!(square / *unit).same_dimension(*unit)) __builtin_trap();
  } catch (const InputError&) {  // powers beyond what units have
  }
  return 0;
}
