// Central differences in time (Courant, Friedrichs and Lewy, 1928), for equations of second order in time.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::leapfrog() {
  return {"leapfrog", "", 0, 0, [](Real) {
            return Scheme{"leapfrog", "leapfrog", 2, SecondOrder{0, false}};
          }};
}

}  // namespace williwaw
