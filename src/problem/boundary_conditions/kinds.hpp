// The kinds of conditions, one source file each; src/problem/boundary_condition.cpp lists them.
#pragma once

#include "williwaw/problem/boundary_condition.hpp"

namespace williwaw::boundaries {

BoundaryConditionKind dirichlet_kind();
BoundaryConditionKind flux_kind();
BoundaryConditionKind gradient_kind();
BoundaryConditionKind robin_kind();
BoundaryConditionKind radiation_kind();
BoundaryConditionKind insulated_kind();
BoundaryConditionKind fixed_kind();
BoundaryConditionKind free_kind();
BoundaryConditionKind driven_kind();
BoundaryConditionKind impedance_kind();
BoundaryConditionKind absorbing_kind();
BoundaryConditionKind diffusive_flux_kind();
BoundaryConditionKind outflow_kind();

}  // namespace williwaw::boundaries
