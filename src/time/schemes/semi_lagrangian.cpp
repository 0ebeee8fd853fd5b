// The advected quantity is interpolated at departure points, so that no Courant number limits the step (Robert,
// 1981); everything else follows by implicit Euler.
#include "kinds.hpp"

namespace williwaw {

SchemeKind schemes::semi_lagrangian() {
  return {"semi-lagrangian", "", 0, 0, [](Real) {
            return Scheme{"semi-lagrangian", "semi-Lagrangian advection, other terms by implicit Euler", 1,
                          SemiLagrangianMethod{}};
          }};
}

}  // namespace williwaw
