// Where half is frozen, in one dimension: the first such place along the axis.
#include <limits>

#include "kinds.hpp"
#include "study/run/columns/freezing.hpp"

namespace williwaw::study {

SeriesColumn columns::front() {
  return {.name = "front",
          .kind = "place",
          .value =
              [](const Measured& m) {
                const std::vector<Real> part = frozen_part(m);
                const Grid& g = m.balance.grid();
                // Within the control volume that freezes: as much of it as is frozen lies on the frozen side.
                for (Index i = 0; i + 1 < g.count(); ++i) {
                  const Real here = part[static_cast<std::size_t>(i)],
                             next = part[static_cast<std::size_t>(i + 1)];
                  if ((here - 0.5) * (next - 0.5) > 0) continue;
                  const Real low = g.axis(0).bounds()[i], width = g.axis(0).bounds()[i + 2] - low;
                  // Both cells together: their frozen length from the frozen end.
                  const Real frozen = here * g.axis(0).widths()[i] + next * g.axis(0).widths()[i + 1];
                  const Real at = here > next ? low + frozen : low + width - frozen;
                  return m.given.length.shown(at);
                }
                return std::numeric_limits<Real>::quiet_NaN();
              },
          .unit = [](const Case& given, std::size_t) { return given.length.unit; },
          .applies = [](const Discretization& b) { return freezes(b) && b.grid().dimension() == 1; },
          .equations = "heat with phase change in 1-D"};
}

}  // namespace williwaw::study
