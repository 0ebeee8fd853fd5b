// The theta family: weight theta on the end of the step, 1 − theta on its start.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::theta() {
  return {"theta", "theta", 0, 1, [](Real t) {
            return Scheme{"theta", "theta scheme", t == 0.5 ? 2 : 1,
                          Tableau{{{0, 0}, {1 - t, t}}, {1 - t, t}, {0, 1}}};
          }};
}

}  // namespace williwaw
