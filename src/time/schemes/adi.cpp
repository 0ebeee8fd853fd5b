// Alternating directions (Douglas, 1962): one axis implicit at a time, so that every solve is a set of lines.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::adi() {
  return {"adi", "", 0, 0, [](Real) {
            return Scheme{"adi", "alternating-direction implicit", 2, Factored{0.5}};
          }};
}

}  // namespace williwaw
