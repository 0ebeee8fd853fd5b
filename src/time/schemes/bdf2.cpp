// Backward differentiation of order 2 (Curtiss and Hirschfelder, 1952) for steps of any ratio.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::bdf2() {
  return {"bdf2", "", 0, 0, [](Real) {
            TwoStep t;
            t.memory = [](Real ratio) { return ratio * ratio / (1 + 2 * ratio); };
            t.weight = [](Real ratio) { return (1 + ratio) / (1 + 2 * ratio); };
            return Scheme{"bdf2", "backward differentiation of order 2", 2, t};
          }};
}

}  // namespace williwaw
