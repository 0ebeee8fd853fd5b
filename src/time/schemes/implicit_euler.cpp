#include "kinds.hpp"

namespace williwaw {

// The trapezoidal rule over the same rates is of order 2: half their difference times the step is the error.
SchemeKind schemes::implicit_euler() {
  return {"implicit-euler", "", 0, 0, [](Real) {
            Scheme scheme{"implicit-euler", "implicit Euler", 1, Tableau{{{1}}, {1}, {1}}};
            scheme.estimating = Tableau{{{0, 0}, {0, 1}}, {0, 1}, {0, 1}, {0.5, 0.5}, 1};
            return scheme;
          }};
}

}  // namespace williwaw
