// Ends of waves that are driven: the displacement is prescribed, 1·u = displacement, or the force on a unit
// of area, 1·q = force.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Driven final : public BoundaryCondition {
 public:
  Driven(Function data, bool moved) : BoundaryCondition("driven", {std::move(data)}), moved_(moved) {}
  bool holds() const override { return moved_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    auto& one = moved_ ? out.value : out.flux;
    std::fill(one.begin(), one.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }

 private:
  bool moved_;
};

}  // namespace

BoundaryConditionKind boundaries::driven_kind() {
  BoundaryConditionKind kind{"driven",
                             {{"displacement", quantities::unknown}, {"force", quantities::flux}},
                             [](const std::vector<Function>& a) {
                               // What is not given is not a number.
                               const bool moved = !a[0].is_constant() || !std::isnan(a[0](Point{}));
                               return std::make_shared<Driven>(moved ? a[0] : a[1], moved);
                             },
                             "driven: {key} {0}"};
  kind.of_waves = true;
  kind.one_of = true;
  return kind;
}

Boundary driven_displacement(Function displacement) {
  return Boundary(std::make_shared<Driven>(std::move(displacement), true));
}

Boundary driven_force(Function force) {
  return Boundary(std::make_shared<Driven>(std::move(force), false));
}

}  // namespace williwaw
