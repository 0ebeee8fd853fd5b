// The kinds of conditions, one source file each; src/problem/wall.cpp lists them.
#pragma once

#include "williwaw/problem/wall.hpp"

namespace williwaw::walls {

WallKind dirichlet_kind();
WallKind flux_kind();
WallKind gradient_kind();
WallKind robin_kind();
WallKind radiation_kind();
WallKind insulated_kind();
WallKind fixed_kind();
WallKind free_kind();
WallKind driven_kind();
WallKind impedance_kind();
WallKind absorbing_kind();
WallKind diffusive_flux_kind();
WallKind outflow_kind();

}  // namespace williwaw::walls
