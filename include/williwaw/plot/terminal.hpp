// Fields as text for a terminal: plans as half blocks in the colours of the figures, profiles as dots.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "williwaw/grid/field.hpp"
#include "williwaw/store/scale.hpp"

namespace williwaw::plot {

/// What a terminal can show: shades of characters alone, 256 colours, or any colour of 24 bits.
enum class TerminalColours { shades, palette, direct };

struct TerminalSize {
  int columns = 80, rows = 24;
};

/// What a picture of a field says about itself besides its values.
struct TerminalLegend {
  std::string name;
  store::Scale length, value;
  /// Lowest and highest value of the picture, in SI.
  std::pair<Real, Real> range;
};

/// Lines of text, none wider than `size.columns` nor more than `size.rows`: along one axis a curve from
/// boundary to boundary, of a plan its values with y upwards, of a block the plane through its middle.
/// Lengths along both axes look alike unless one is more than six times the other. Places that are cut out
/// stay empty. Nothing for a terminal of fewer than 20 columns or 6 rows.
std::vector<std::string> terminal_picture(const Field& field, const TerminalLegend& legend,
                                          TerminalColours colours, const TerminalSize& size);

}  // namespace williwaw::plot
