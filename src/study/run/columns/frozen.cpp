// What is frozen of the domain: a length, an area or a volume.
#include "kinds.hpp"
#include "study/run/columns/freezing.hpp"

namespace williwaw::study {

SeriesColumn columns::frozen() {
  return {.name = "frozen",
          .kind = "content",
          .value =
              [](const Measured& m) {
                State part(m.state.size());
                std::ranges::copy(frozen_part(m), part.begin());
                for (Index n = 0; n < m.balance.grid().count(); ++n)
                  part[static_cast<std::size_t>(n)] *=
                      m.balance.outline().active(n) ? m.balance.unknowns()[0].storage->volume(n) : 0;
                return m.balance.reductions().sum(part);
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
