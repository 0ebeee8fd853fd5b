// The outward derivative is prescribed. What flows in is conductivity times it: 0·u + 1·q = k·outward.
#include "kinds.hpp"
#include "tangent.hpp"

namespace williwaw {
namespace {

class Gradient final : public BoundaryCondition {
 public:
  explicit Gradient(Function outward) : BoundaryCondition("gradient", {std::move(outward)}) {}
  const AdvectiveBoundary* advective_boundary() const override { return &advection_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    const boundaries::OnBoundary outward(arguments()[0], place);
    for (std::size_t f = 0; f < out.data.size(); ++f) {
      // Gravity drives a flow besides.
      const Real gradient = outward.value[f] + (place.upward.empty() ? 0 : place.upward[f]);
      const Real slope = place.conductivity_slope.empty() ? 0 : place.conductivity_slope[f] * gradient;
      boundaries::tangent_flux(place, f, place.conductivity[f] * gradient,
                               slope + place.conductivity[f] * outward.slope[f], out);
    }
  }

 private:
  AdvectiveBoundary advection_;
};

}  // namespace

BoundaryConditionKind boundaries::gradient_kind() {
  BoundaryConditionKind kind{"gradient",
                             {{"", quantities::gradient}},
                             [](const std::vector<Function>& a) { return std::make_shared<Gradient>(a[0]); },
                             "gradient of {u} along the outward normal {0}"};
  kind.of_unknown = true;
  return kind;
}

Boundary gradient(Function outward) {
  return Boundary(std::make_shared<Gradient>(std::move(outward)));
}

}  // namespace williwaw
