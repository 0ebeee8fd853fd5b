// Dormand and Prince (1980): order 5 with an embedded answer of order 4; the last rate is the next step's
// first.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::rk45() {
  return {"rk45", "", 0, 0, [](Real) {
            const std::vector<Real> last{35.0 / 384, 0, 500.0 / 1113, 125.0 / 192, -2187.0 / 6784,
                                         11.0 / 84,  0};
            Tableau t;
            t.a = {{0, 0, 0, 0, 0, 0, 0},
                   {1.0 / 5, 0, 0, 0, 0, 0, 0},
                   {3.0 / 40, 9.0 / 40, 0, 0, 0, 0, 0},
                   {44.0 / 45, -56.0 / 15, 32.0 / 9, 0, 0, 0, 0},
                   {19372.0 / 6561, -25360.0 / 2187, 64448.0 / 6561, -212.0 / 729, 0, 0, 0},
                   {9017.0 / 3168, -355.0 / 33, 46732.0 / 5247, 49.0 / 176, -5103.0 / 18656, 0, 0},
                   last};
            t.b = last;
            t.c = {0, 1.0 / 5, 3.0 / 10, 4.0 / 5, 8.0 / 9, 1, 1};
            t.embedded = {5179.0 / 57600, 0,       7571.0 / 16695, 393.0 / 640, -92097.0 / 339200,
                          187.0 / 2100,   1.0 / 40};
            t.embedded_order = 4;
            return Scheme{"rk45", "Runge-Kutta of order 5 with an embedded order 4", 5, t};
          }};
}

}  // namespace williwaw
