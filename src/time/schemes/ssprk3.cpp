// Shu and Osher (1988): order 3 as convex combinations of Euler steps, which keeps what one such step keeps.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::ssprk3() {
  return {"ssprk3", "", 0, 0, [](Real) {
            return Scheme{
                "ssprk3", "strong-stability-preserving Runge-Kutta of order 3", 3,
                Tableau{{{0, 0, 0}, {1, 0, 0}, {0.25, 0.25, 0}}, {1.0 / 6, 1.0 / 6, 2.0 / 3}, {0, 1, 0.5}}};
          }};
}

}  // namespace williwaw
