// Average acceleration (Newmark, 1959): implicit, stable at any step, conserves the energy.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::newmark() {
  return {"newmark", "", 0, 0, [](Real) {
            return Scheme{"newmark", "Newmark's average acceleration", 2, SecondOrder{0.25, false}};
          }};
}

}  // namespace williwaw
