// The amount stored in the domain. It closes the budget: every digit of it.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::total() {
  return {.name = "total",
          .kind = "content",
          .value = [](const Measured& m) { return m.totals.content; },
          .unit = unit_of_amounts,
          .applies = [](const Discretization& b) { return !of_waves(b); },
          .equations = "all but waves",
          .digits = 15};
}

}  // namespace williwaw::study
