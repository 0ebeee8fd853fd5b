// Ends of waves that reflect: prescribed at rest, u = 0, or without any force on them, q = 0.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Fixed final : public BoundaryCondition {
 public:
  Fixed() : BoundaryCondition("fixed", {}) {}
  bool holds() const override { return true; }
  void law(const BoundaryPlace&, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 1.0);
  }
};

class Free final : public BoundaryCondition {
 public:
  Free() : BoundaryCondition("free", {}) {}
  void law(const BoundaryPlace&, LawLine& out) const override {
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
  }
};

}  // namespace

BoundaryConditionKind boundaries::fixed_kind() {
  BoundaryConditionKind kind{"fixed",
                             {},
                             [](const std::vector<Function>&) { return std::make_shared<Fixed>(); },
                             "fixed: {u} 0, inverted reflection"};
  kind.of_waves = true;
  return kind;
}

BoundaryConditionKind boundaries::free_kind() {
  BoundaryConditionKind kind{"free",
                             {},
                             [](const std::vector<Function>&) { return std::make_shared<Free>(); },
                             "free: force 0, upright reflection"};
  kind.of_waves = true;
  return kind;
}

Boundary fixed_boundary() {
  return Boundary(std::make_shared<Fixed>());
}

Boundary free_boundary() {
  return Boundary(std::make_shared<Free>());
}

}  // namespace williwaw
