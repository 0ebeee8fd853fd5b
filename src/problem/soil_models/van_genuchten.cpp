// S = (1 + x)^(−m) with x = (alpha·|u|)^n and m = 1 − 1/n (van Genuchten, 1980), and by the capillary model
// of Mualem (1976) k = S^connectivity·(1 − (x/(1 + x))^m)².
#include <cmath>

#include "kinds.hpp"

namespace williwaw {

SoilModel soils::van_genuchten_model() {
  return {"van-genuchten",
          "van Genuchten (1980) with Mualem (1976)",
          {{"alpha", -1, 0, 1e300}, {"n", 0, 1, 1e3}, {"connectivity", 0, -10, 10, 0.5}},
          [](const std::map<std::string, Real>& numbers) -> SoilModel::ByHead {
            const Real alpha = numbers.at("alpha"), n = numbers.at("n"), l = numbers.at("connectivity");
            const Real m = 1 - 1 / n;
            return [=](Real head) {
              const Real suction = -head, x = std::pow(alpha * suction, n);
              const Real saturation = std::pow(1 + x, -m);
              // By the suction: x' = n·x/suction.
              const Real x_slope = n * x / suction;
              const Real saturation_slope = -m * saturation / (1 + x) * x_slope;
              // 1 − (x/(1 + x))^m, in which nothing cancels in dry soil.
              const Real open = -std::expm1(-m * std::log1p(1 / x));
              const Real open_slope = -m * (1 - open) / (x * (1 + x)) * x_slope;
              const Real by_connectivity = std::pow(saturation, l), k = by_connectivity * open * open;
              const Real k_slope =
                  l * k / saturation * saturation_slope + 2 * by_connectivity * open * open_slope;
              return SoilModel::State{saturation, -saturation_slope, k, -k_slope};
            };
          }};
}

}  // namespace williwaw
