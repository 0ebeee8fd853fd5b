// The flux that diffuses into the domain is prescribed: 0·u + 1·q = into, and advection passes besides.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class DiffusiveFlux final : public BoundaryCondition {
 public:
  explicit DiffusiveFlux(Function into) : BoundaryCondition("diffusive_flux", {std::move(into)}) {}
  const AdvectiveBoundary* advective_boundary() const override { return &advection_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }

 private:
  AdvectiveBoundary advection_;
};

}  // namespace

BoundaryConditionKind boundaries::diffusive_flux_kind() {
  return {"diffusive_flux",
          {{"", quantities::flux}},
          [](const std::vector<Function>& a) { return std::make_shared<DiffusiveFlux>(a[0]); },
          "diffusive flux {0} into the domain"};
}

Boundary diffusive_flux(Function into) {
  return Boundary(std::make_shared<DiffusiveFlux>(std::move(into)));
}

}  // namespace williwaw
