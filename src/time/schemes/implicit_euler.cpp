#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::implicit_euler() {
  return {"implicit-euler", "", 0, 0, [](Real) {
            return Scheme{"implicit-euler", "implicit Euler", 1, Tableau{{{1}}, {1}, {1}}};
          }};
}

}  // namespace williwaw
