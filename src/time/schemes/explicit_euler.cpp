#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::explicit_euler() {
  return {"explicit-euler", "", 0, 0, [](Real) {
            return Scheme{"explicit-euler", "explicit Euler", 1, Tableau{{{0}}, {1}, {0}}};
          }};
}

}  // namespace williwaw
