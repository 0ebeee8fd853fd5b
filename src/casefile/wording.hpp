// Words that several reports share.
#pragma once

#include "williwaw/casefile/check.hpp"

namespace williwaw::casefile {

/// "x = 0.1 m, y = 0.2 m": where an unknown is.
std::string place_text(const Case& given, const Grid& grid, Index number);

/// A number as what stands behind a row.
inline Report::Data number(Real v) {
  return Report::Data(v);
}

}  // namespace williwaw::casefile
