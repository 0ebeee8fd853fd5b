// k = exp(alpha·u) (Gardner, 1958), with a saturation that follows it, S = exp(alpha·u), so that the equation
// becomes linear in k.
#include <cmath>

#include "kinds.hpp"

namespace williwaw {

SoilModel soils::gardner_model() {
  return {"gardner",
          "Gardner (1958)",
          {{"alpha", -1, 0, 1e300}},
          [](const std::map<std::string, Real>& numbers) -> SoilModel::ByHead {
            const Real alpha = numbers.at("alpha");
            return [=](Real head) {
              const Real k = std::exp(alpha * head);
              return SoilModel::State{k, alpha * k, k, alpha * k};
            };
          }};
}

}  // namespace williwaw
