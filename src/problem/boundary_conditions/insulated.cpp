// Nothing flows through: 0·u + 1·q = 0.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Insulated final : public BoundaryCondition {
 public:
  Insulated() : BoundaryCondition("insulated", {}) {}
  void law(const BoundaryPlace&, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    std::fill(out.data.begin(), out.data.end(), 0.0);
  }
};

}  // namespace

BoundaryConditionKind boundaries::insulated_kind() {
  return {"insulated",
          {},
          [](const std::vector<Function>&) { return std::make_shared<Insulated>(); },
          "insulated: no flux"};
}

Boundary insulated() {
  return Boundary(std::make_shared<Insulated>());
}

}  // namespace williwaw
