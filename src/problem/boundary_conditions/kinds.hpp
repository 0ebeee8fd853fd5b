// What a file of a boundary condition defines: NAME_kind(), and a line KIND(NAME) in list.inc.
#pragma once

#include "williwaw/problem/boundary_condition.hpp"

namespace williwaw::boundaries {

#define KIND(name) BoundaryConditionKind name##_kind();
#include "list.inc"
#undef KIND

}  // namespace williwaw::boundaries
