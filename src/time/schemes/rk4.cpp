// The classical fourth-order scheme of Kutta (1901).
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::rk4() {
  return {"rk4", "", 0, 0, [](Real) {
            return Scheme{"rk4", "classical Runge-Kutta of order 4", 4,
                          Tableau{{{0, 0, 0, 0}, {0.5, 0, 0, 0}, {0, 0.5, 0, 0}, {0, 0, 1, 0}},
                                  {1.0 / 6, 1.0 / 3, 1.0 / 3, 1.0 / 6},
                                  {0, 0.5, 0.5, 1}}};
          }};
}

}  // namespace williwaw
