// The one theme of all figures: colours, type, lines, and how units are written on labels.
#pragma once

#include <array>

#include "williwaw/grid/types.hpp"

namespace williwaw::plot {

/// Red, green, blue from 0 to 1.
struct Colour {
  Real red = 0, green = 0, blue = 0;
  std::string hex() const;
};

/// Perceptual lightness from 0 to 1 (Oklab, Ottosson 2020).
Real lightness(const Colour& colour);

/// Sequential map: lightness rises evenly from deep water to pale sand while the hue turns one way, so that
/// it reads the same without colour. `s` from 0 to 1.
Colour sequential(Real s);
/// Diverging map for signed fields: pale at 0.5, equally dark at both ends, blue below and rust above.
Colour diverging(Real s);

/// Colour of curve `n` of `count` drawn in order of time: from the dark end of the sequential map towards its
/// light end, the last one accented.
Colour curve(Index n, Index count);
Colour accent();
/// Colours for curves that stand side by side without an order.
Colour distinct(Index n);

/// "degC" as "°C", "W/m^2" as "W/m²".
std::string pretty_unit(const std::string& unit);
/// "temperature [°C]"
std::string label(const std::string& name, const std::string& unit);

inline constexpr const char* ground = "#fbfaf6";
inline constexpr const char* ink = "#2b2f33";
inline constexpr const char* faint = "#b9bcc0";
inline constexpr const char* font = "DejaVu Sans";

}  // namespace williwaw::plot
