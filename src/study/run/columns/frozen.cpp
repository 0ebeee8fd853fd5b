// What is frozen of the domain: a length, an area or a volume.
#include "kinds.hpp"
#include "study/run/columns/freezing.hpp"

namespace williwaw::study {

SeriesColumn columns::frozen() {
  return {.name = "frozen",
          .kind = "content",
          .value =
              [](const Measured& m) {
                const std::vector<Real> part = frozen_part(m);
                const Grid& g = m.balance.grid();
                Real sum = 0;
                for (Index n = 0; n < g.count(); ++n)
                  if (m.balance.outline().active(n))
                    sum += part[static_cast<std::size_t>(n)] * m.balance.unknowns()[0].storage->volume(n);
                return sum;
              },
          .unit =
              [](const Case& given, std::size_t) {
                const int dimension = given.problem.grid().volume_dimension();
                return std::string(given.value.unit.empty() ? ""
                                   : dimension == 1         ? "m"
                                   : dimension == 2         ? "m^2"
                                                            : "m^3");
              },
          .applies = freezes,
          .equations = "heat with phase change"};
}

}  // namespace williwaw::study
