// What a file of a time scheme defines: NAME(), and a line KIND(NAME) in list.inc.
#pragma once

#include "williwaw/time/scheme.hpp"

namespace williwaw::schemes {

#define KIND(name) SchemeKind name();
#include "list.inc"
#undef KIND

}  // namespace williwaw::schemes
