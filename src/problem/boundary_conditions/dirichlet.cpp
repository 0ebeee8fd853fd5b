// The unknown is prescribed: 1·u + 0·q = value.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Dirichlet final : public BoundaryCondition {
 public:
  explicit Dirichlet(Function value) : BoundaryCondition("dirichlet", {std::move(value)}) {}
  bool holds() const override { return true; }
  const AdvectiveBoundary* advective_boundary() const override { return &advection_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 1.0);
    std::fill(out.flux.begin(), out.flux.end(), 0.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }

 private:
  AdvectiveBoundary advection_;
};

}  // namespace

BoundaryConditionKind boundaries::dirichlet_kind() {
  return {"dirichlet",
          {{"", quantities::unknown}},
          [](const std::vector<Function>& a) { return std::make_shared<Dirichlet>(a[0]); },
          "{u} prescribed: {0}"};
}

Boundary dirichlet(Function value) {
  return Boundary(std::make_shared<Dirichlet>(std::move(value)));
}

}  // namespace williwaw
