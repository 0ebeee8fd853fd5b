// The lowest value. The first column of an unknown: readers tell by it where probes end.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::minimum() {
  return {.name = "minimum",
          .kind = "extremum",
          .value = [](const Measured& m) { return m.scale().shown(m.totals.lowest); },
          .unit = unit_of_values};
}

}  // namespace williwaw::study
