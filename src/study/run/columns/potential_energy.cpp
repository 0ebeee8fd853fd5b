// The potential energy of a wave.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::potential_energy() {
  return {.name = "potential energy",
          .kind = "energy",
          .value = [](const Measured& m) { return m.totals.potential; },
          .unit = unit_of_amounts,
          .applies = of_waves,
          .equations = "waves"};
}

}  // namespace williwaw::study
