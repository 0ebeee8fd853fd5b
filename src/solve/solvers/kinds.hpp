// What a file of a linear solver defines: NAME(), and a line KIND(NAME) in list.inc.
#pragma once

#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

/// Conjugate gradients, each residual preconditioned by one multigrid cycle of pairs.
std::unique_ptr<LinearSolver> make_cg_with_multigrid(const SolverRules& rules);

}  // namespace williwaw

namespace williwaw::solvers {

#define KIND(name) SolverKind name();
#include "list.inc"
#undef KIND

}  // namespace williwaw::solvers
