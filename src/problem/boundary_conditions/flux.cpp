// The flux into the domain is prescribed: 0·u + 1·q = into.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Flux final : public BoundaryCondition {
 public:
  explicit Flux(Function into) : BoundaryCondition("flux", {std::move(into)}) {}
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }
};

}  // namespace

BoundaryConditionKind boundaries::flux_kind() {
  return {"flux",
          {{"", quantities::flux}},
          [](const std::vector<Function>& a) { return std::make_shared<Flux>(a[0]); },
          "flux {0} into the domain"};
}

Boundary flux(Function into) {
  return Boundary(std::make_shared<Flux>(std::move(into)));
}

}  // namespace williwaw
