// What a file of a soil model defines: NAME_model(), and a line MODEL(NAME) in list.inc.
#pragma once

#include "williwaw/problem/soil.hpp"

namespace williwaw::soils {

#define MODEL(name) SoilModel name##_model();
#include "list.inc"
#undef MODEL

}  // namespace williwaw::soils
