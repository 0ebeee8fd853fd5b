// The energy of a wave. It closes the budget: every digit of it.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::energy() {
  return {.name = "energy",
          .kind = "content",
          .value = [](const Measured& m) { return m.totals.content; },
          .unit = unit_of_amounts,
          .applies = of_waves,
          .equations = "waves",
          .digits = 15};
}

}  // namespace williwaw::study
