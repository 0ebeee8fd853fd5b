// S = (entry_head/u)^pore_index where u is below the entry head, which lies below zero, and 1 above it; with
// the theory of Burdine k = S^(3 + 2/pore_index) (Brooks and Corey, 1964).
#include <cmath>

#include "kinds.hpp"

namespace williwaw {

SoilModel soils::brooks_corey_model() {
  return {"brooks-corey",
          "Brooks and Corey (1964)",
          {{"entry_head", 1, -1e300, 0}, {"pore_index", 0, 0, 1e3}},
          [](const std::map<std::string, Real>& numbers) -> SoilModel::ByHead {
            const Real entry = numbers.at("entry_head"), index = numbers.at("pore_index");
            return [=](Real head) {
              if (head >= entry) return SoilModel::State{1, 0, 1, 0};
              const Real saturation = std::pow(entry / head, index), power = 3 + 2 / index;
              const Real k = std::pow(saturation, power);
              return SoilModel::State{saturation, -index * saturation / head, k, -index * power * k / head};
            };
          }};
}

}  // namespace williwaw
