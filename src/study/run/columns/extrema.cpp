// The number of extrema.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::extrema() {
  return {.name = "extrema",
          .kind = "count",
          .value = [](const Measured& m) { return static_cast<Real>(m.shape().extrema); },
          .unit = no_unit,
          .applies = of_advection,
          .equations = "advection"};
}

}  // namespace williwaw::study
