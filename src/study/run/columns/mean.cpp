// The mean over the domain, by volume.
#include "kinds.hpp"

namespace williwaw::study {

SeriesColumn columns::mean() {
  return {
      .name = "mean",
      .kind = "mean",
      .value =
          [](const Measured& m) { return m.scale().shown(m.totals.integral / m.balance.volume(m.unknown)); },
      .unit = unit_of_values};
}

}  // namespace williwaw::study
