// The total variation, in the unit of the unknown in 1-D.
#include "kinds.hpp"

namespace williwaw::study {

namespace {

std::string unit_of_variation(const Case& given, std::size_t unknown) {
  return given.problem.grid().dimension() == 1 ? unit_of_values(given, unknown) : "";
}

}  // namespace

SeriesColumn columns::total_variation() {
  return {.name = "total variation",
          .kind = "norm",
          .value = [](const Measured& m) { return m.shape().variation * m.scale().factor; },
          .unit = unit_of_variation,
          .applies = of_advection,
          .equations = "advection"};
}

}  // namespace williwaw::study
