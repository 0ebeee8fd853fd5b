#include "williwaw/plot/theme.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace williwaw::plot {

namespace {

Real gamma(Real linear) {
  const Real v = std::clamp(linear, 0.0, 1.0);
  return v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055;
}

Real linear(Real v) {
  return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
}

// Oklab (Ottosson, 2020) from lightness, chroma and hue in degrees.
Colour from_polar(Real light, Real chroma, Real hue) {
  const Real angle = hue * std::numbers::pi / 180;
  const Real a = chroma * std::cos(angle), b = chroma * std::sin(angle);
  const auto cube = [](Real v) { return v * v * v; };
  const Real l = cube(light + 0.3963377774 * a + 0.2158037573 * b);
  const Real m = cube(light - 0.1055613458 * a - 0.0638541728 * b);
  const Real s = cube(light - 0.0894841775 * a - 1.2914855480 * b);
  return {gamma(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s),
          gamma(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s),
          gamma(-0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s)};
}

Real between(Real a, Real b, Real s) {
  return a + (b - a) * s;
}

}  // namespace

std::string Colour::hex() const {
  const auto byte = [](Real v) { return std::lround(255 * std::clamp(v, 0.0, 1.0)); };
  return fmt::format("#{:02x}{:02x}{:02x}", byte(red), byte(green), byte(blue));
}

Real lightness(const Colour& c) {
  const Real r = linear(c.red), g = linear(c.green), b = linear(c.blue);
  const Real l = std::cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const Real m = std::cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const Real s = std::cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  return 0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s;
}

Colour sequential(Real s) {
  s = std::clamp(s, 0.0, 1.0);
  // Pine, fjord, heather, shell: the hue turns from 205 to 420 degrees. The chroma stays inside what screens
  // can show at every hue, since clipped colours would draw a line where the field has none.
  return from_polar(between(0.26, 0.94, s), 0.036 + 0.048 * std::sin(std::numbers::pi * s),
                    between(205, 420, s));
}

Colour diverging(Real s) {
  const Real signed_part = 2 * std::clamp(s, 0.0, 1.0) - 1, size = std::abs(signed_part);
  return from_polar(between(0.965, 0.42, size), 0.11 * std::pow(size, 0.8), signed_part < 0 ? 248 : 47);
}

Colour accent() {
  return from_polar(0.58, 0.18, 35);
}

Colour curve(Index n, Index count) {
  if (n + 1 == count) return accent();
  // The lightest quarter of the map would be lost on the light ground.
  return sequential(count < 3 ? 0.1 : 0.74 * static_cast<Real>(n) / static_cast<Real>(count - 2));
}

Colour distinct(Index n) {
  static const std::array<Colour, 6> colours{from_polar(0.40, 0.11, 258), accent(),
                                             from_polar(0.62, 0.11, 178), from_polar(0.46, 0.13, 330),
                                             from_polar(0.72, 0.13, 82),  from_polar(0.30, 0.02, 250)};
  return colours[static_cast<std::size_t>(n) % colours.size()];
}

std::string pretty_unit(const std::string& unit) {
  static const std::array<const char*, 10> raised{"⁰", "¹", "²", "³", "⁴", "⁵", "⁶", "⁷", "⁸", "⁹"};
  std::string result;
  for (std::size_t i = 0; i < unit.size(); ++i) {
    const bool negative = unit[i] == '^' && i + 2 < unit.size() && unit[i + 1] == '-';
    const std::size_t digit = i + (negative ? 2 : 1);
    if (unit[i] == '^' && digit < unit.size() && std::isdigit(static_cast<unsigned char>(unit[digit]))) {
      result += (negative ? "⁻" : "") + std::string(raised[static_cast<std::size_t>(unit[digit] - '0')]);
      i = digit;
    } else if (unit.compare(i, 4, "degC") == 0) {
      result += "°C";
      i += 3;
    } else {
      result += unit[i];
    }
  }
  return result;
}

std::string label(const std::string& name, const std::string& unit) {
  return unit.empty() ? name : name + " [" + pretty_unit(unit) + "]";
}

}  // namespace williwaw::plot
