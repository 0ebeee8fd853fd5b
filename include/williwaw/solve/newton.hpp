// Newton's method with a step that is halved while it does not help.
#pragma once

#include <functional>

#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

struct NewtonResult {
  int iterations = 0;
  Real residual = 0;  ///< largest magnitude at the end
};

struct NewtonRules {
  Real tolerance = 1e-14;  ///< largest magnitude of the residual, relative to `scale`
  Real scale = 1;
  int iterations = 40;
  /// What round-off leaves of a residual, asked for after every correction; nothing asks for less.
  std::function<Real(const State&)> round_off = {};
  bool linear = false;  ///< one iteration is exact
  /// Largest magnitude of a residual; unset: of all its values.
  std::function<Real(const State&)> largest = {};
};

/// Solves residual(y) = 0 starting from `y`. `residual(y, r)` evaluates, `correct(y, r, d)` solves J·d = −r.
/// Throws SolverError when the iterations run out.
NewtonResult newton(State& y, const NewtonRules& rules,
                    const std::function<void(const State&, State&)>& residual,
                    const std::function<void(const State&, const State&, State&)>& correct);

}  // namespace williwaw
