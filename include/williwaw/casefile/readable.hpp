// Numbers as people read them.
#pragma once

#include <string>

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

/// A number for people, of so many digits at most.
std::string readable(Real value, int digits = 6);
/// The same with a unit behind it.
std::string readable(Real value, const std::string& unit, int digits = 6);
/// "7.04 kB", "12.3 MB"
std::string readable_bytes(Real bytes);
/// A duration as people wait for it: "3 min", "below 0.1 s".
std::string readable_wait(Real seconds);

}  // namespace williwaw::casefile
