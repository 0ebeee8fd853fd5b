// Radiation into surroundings: q = εσ·(ambient⁴ − u⁴). About u0 the law is its tangent,
// 4εσu0³·u + 1·q = εσ·(ambient⁴ + 3·u0⁴), which is exact at u0.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw {
namespace {

// Stefan-Boltzmann constant, W/m²/K⁴ (exact since the SI of 2019).
constexpr Real sigma = 5.670374419e-8;

class Radiation final : public BoundaryCondition {
 public:
  Radiation(Function emissivity, Function ambient)
      : BoundaryCondition("radiation", {std::move(emissivity), std::move(ambient)}) {}
  bool is_linear() const override { return false; }
  bool left_side_depends_on_time() const override { return arguments()[0].depends_on_time(); }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    arguments()[0].evaluate(place.points, place.time, out.value);
    arguments()[1].evaluate(place.points, place.time, out.data);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    for (std::size_t f = 0; f < out.data.size(); ++f) {
      // Where no state is given yet, the surroundings are the best guess; below absolute zero nothing
      // radiates.
      const Real about = std::max(f < place.about.size() ? place.about[f] : out.data[f], 0.0);
      const Real strength = out.value[f] * sigma;
      out.value[f] = 4 * strength * std::pow(about, 3);
      out.data[f] = strength * (std::pow(out.data[f], 4) + 3 * std::pow(about, 4));
    }
  }
};

}  // namespace

BoundaryConditionKind boundaries::radiation_kind() {
  return {"radiation",
          {{"emissivity", quantities::fraction}, {"ambient", quantities::unknown}},
          [](const std::vector<Function>& a) { return std::make_shared<Radiation>(a[0], a[1]); },
          "radiation to {1}, emissivity {0}",
          true};
}

Boundary radiation(Function emissivity, Function ambient) {
  return Boundary(std::make_shared<Radiation>(std::move(emissivity), std::move(ambient)));
}

}  // namespace williwaw
