// Crank and Nicolson (1947): the mean of the rates at both ends of the step.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::crank_nicolson() {
  return {"crank-nicolson", "", 0, 0, [](Real) {
            return Scheme{"crank-nicolson", "Crank-Nicolson", 2,
                          Tableau{{{0, 0}, {0.5, 0.5}}, {0.5, 0.5}, {0, 1}}};
          }};
}

}  // namespace williwaw
