// What numbers are shown in. Inside, everything is SI (or consistently scaled); files and figures show the
// units of the case.
#pragma once

#include <string>

#include "williwaw/grid/types.hpp"

namespace williwaw::store {

/// shown = factor·SI + offset, in `unit`; no unit is written where `unit` is empty.
struct Scale {
  std::string unit;
  Real factor = 1;
  Real offset = 0;

  Real shown(Real si) const { return factor * si + offset; }
  Real shown_difference(Real si) const { return factor * si; }
  Real si(Real value) const { return (value - offset) / factor; }
  /// " [h]", or nothing.
  std::string bracket() const { return unit.empty() ? "" : " [" + unit + "]"; }
  /// " h", or nothing.
  std::string suffix() const { return unit.empty() ? "" : " " + unit; }
};

}  // namespace williwaw::store
