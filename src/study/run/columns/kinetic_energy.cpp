// The kinetic energy of a wave.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::kinetic_energy() {
  return {.name = "kinetic energy",
          .kind = "energy",
          .value = [](const Measured& m) { return m.totals.kinetic; },
          .unit = unit_of_amounts,
          .applies = of_waves,
          .equations = "waves"};
}

}  // namespace williwaw::study
