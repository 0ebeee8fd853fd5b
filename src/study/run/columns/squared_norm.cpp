// The squared L2 norm, which backflow and dispersive errors can raise.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::squared_norm() {
  return {.name = "squared L2 norm",
          .kind = "norm",
          .value = [](const Measured& m) { return m.shape().square * m.scale().factor * m.scale().factor; },
          .unit = no_unit,
          .applies = of_advection,
          .equations = "advection"};
}

}  // namespace williwaw::study
