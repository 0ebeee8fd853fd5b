// A force against the motion: q + impedance·du/dt = 0.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Impedance final : public BoundaryCondition {
 public:
  explicit Impedance(Function resistance) : BoundaryCondition("impedance", {std::move(resistance)}) {}
  bool has_rate() const override { return true; }
  bool left_side_depends_on_time() const override { return arguments()[0].depends_on_time(); }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.rate);
  }
};

}  // namespace

BoundaryConditionKind boundaries::impedance_kind() {
  BoundaryConditionKind kind{"impedance",
                             {{"", quantities::impedance}},
                             [](const std::vector<Function>& a) { return std::make_shared<Impedance>(a[0]); },
                             "impedance {0}"};
  kind.of_waves = true;
  return kind;
}

Boundary impedance(Function resistance) {
  return Boundary(std::make_shared<Impedance>(std::move(resistance)));
}

}  // namespace williwaw
