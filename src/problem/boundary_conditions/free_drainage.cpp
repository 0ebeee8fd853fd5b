// Gravity alone drives the flow: du/dn = 0, so that q = k·(component of the upward vector along the outward
// normal), stated as its tangent where k depends on u.
#include "kinds.hpp"
#include "tangent.hpp"

namespace williwaw {
namespace {

class FreeDrainage final : public BoundaryCondition {
 public:
  FreeDrainage() : BoundaryCondition("free-drainage", {}) {}
  void law(const BoundaryPlace& place, LawLine& out) const override {
    for (std::size_t f = 0; f < out.data.size(); ++f) {
      const Real upward = place.upward.empty() ? 0 : place.upward[f];
      boundaries::tangent_flux(place, f, place.conductivity[f] * upward,
                               place.conductivity_slope.empty() ? 0 : place.conductivity_slope[f] * upward,
                               out);
    }
  }
};

}  // namespace

BoundaryConditionKind boundaries::free_drainage_kind() {
  BoundaryConditionKind kind{"free-drainage",
                             {},
                             [](const std::vector<Function>&) { return std::make_shared<FreeDrainage>(); },
                             "free drainage: no gradient of {u}, gravity alone"};
  kind.of_gravity = true;
  return kind;
}

Boundary free_drainage() {
  return Boundary(std::make_shared<FreeDrainage>());
}

}  // namespace williwaw
