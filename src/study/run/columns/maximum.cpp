// The highest value.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::maximum() {
  return {.name = "maximum",
          .kind = "extremum",
          .value = [](const Measured& m) { return m.scale().shown(m.totals.highest); },
          .unit = unit_of_values};
}

}  // namespace williwaw::study
