// The outward derivative is prescribed. What flows in is conductivity times it: 0·u + 1·q = k·outward.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Gradient final : public BoundaryCondition {
 public:
  explicit Gradient(Function outward) : BoundaryCondition("gradient", {std::move(outward)}) {}
  const AdvectiveBoundary* advective_boundary() const override { return &advection_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
    for (std::size_t f = 0; f < out.data.size(); ++f) out.data[f] *= place.conductivity[f];
  }

 private:
  AdvectiveBoundary advection_;
};

}  // namespace

BoundaryConditionKind boundaries::gradient_kind() {
  return {"gradient",
          {{"", quantities::gradient}},
          [](const std::vector<Function>& a) { return std::make_shared<Gradient>(a[0]); },
          "gradient of {u} along the outward normal {0}"};
}

Boundary gradient(Function outward) {
  return Boundary(std::make_shared<Gradient>(std::move(outward)));
}

}  // namespace williwaw
