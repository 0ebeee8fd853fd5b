// Hairer and Wanner (1996): L-stable, five implicit stages with one and the same matrix, order 4 with an
// embedded answer of order 3.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::sdirk4() {
  return {
      "sdirk4", "", 0, 0, [](Real) {
        const std::vector<Real> last{25.0 / 24, -49.0 / 48, 125.0 / 16, -85.0 / 12, 0.25};
        Tableau t;
        t.a = {{0.25, 0, 0, 0, 0},
               {0.5, 0.25, 0, 0, 0},
               {17.0 / 50, -1.0 / 25, 0.25, 0, 0},
               {371.0 / 1360, -137.0 / 2720, 15.0 / 544, 0.25, 0},
               last};
        t.b = last;
        t.c = {0.25, 0.75, 11.0 / 20, 0.5, 1};
        t.embedded = {59.0 / 48, -17.0 / 96, 225.0 / 32, -85.0 / 12, 0};
        t.embedded_order = 3;
        return Scheme{"sdirk4", "L-stable implicit Runge-Kutta of order 4 with an embedded order 3", 4, t};
      }};
}

}  // namespace williwaw
