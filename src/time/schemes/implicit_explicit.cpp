// Ascher, Ruuth and Spiteri (1997), their pair (2, 2, 2): fluxes by an L-stable implicit scheme, sources and
// reactions by an explicit one at the same stages.
#include <cmath>

#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::implicit_explicit() {
  return {"implicit-explicit", "", 0, 0, [](Real) {
            const Real g = 1 - std::sqrt(0.5), d = 1 - 1 / (2 * g);
            ImplicitExplicit pair;
            pair.fluxes = {{{0, 0, 0}, {0, g, 0}, {0, 1 - g, g}}, {0, 1 - g, g}, {0, g, 1}};
            pair.sources = {{{0, 0, 0}, {g, 0, 0}, {d, 1 - d, 0}}, {d, 1 - d, 0}, {0, g, 1}};
            return Scheme{"implicit-explicit",
                          "implicit for fluxes and explicit for sources, Runge-Kutta pair of order 2", 2,
                          pair};
          }};
}

}  // namespace williwaw
