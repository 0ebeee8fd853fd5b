// Heun (1900): Euler's step, then the mean of the rates at both ends.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::rk2() {
  return {"rk2", "", 0, 0, [](Real) {
            return Scheme{"rk2", "Heun's Runge-Kutta of order 2", 2,
                          Tableau{{{0, 0}, {1, 0}}, {0.5, 0.5}, {0, 1}}};
          }};
}

}  // namespace williwaw
