// Leapfrog with the next term of its series taken from the equation itself (Dablain, 1986; Shubin and Bell,
// 1987): order 4 in time, for two evaluations of the force.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::corrected_leapfrog() {
  return {"corrected-leapfrog", "", 0, 0, [](Real) {
            return Scheme{"corrected-leapfrog", "leapfrog corrected to order 4", 4, SecondOrder{0, true}};
          }};
}

}  // namespace williwaw
