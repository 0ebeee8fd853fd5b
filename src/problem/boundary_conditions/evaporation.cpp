// Evaporation: q = −rate until the surface has dried out.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Evaporation final : public BoundaryCondition {
 public:
  Evaporation(Function rate, Function lowest)
      : BoundaryCondition("evaporation", {std::move(rate), std::move(lowest)}),
        limit_(FluxLimit{arguments()[1], false, {}}) {}
  bool is_linear() const override { return false; }
  const FluxLimit* limit() const override { return &limit_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
    for (Real& rate : out.data) rate = -rate;
  }

 private:
  FluxLimit limit_;
};

}  // namespace

BoundaryConditionKind boundaries::evaporation_kind() {
  BoundaryConditionKind kind{
      "evaporation",
      {{"rate", quantities::flux}, {"lowest_head", quantities::unknown}},
      [](const std::vector<Function>& a) { return std::make_shared<Evaporation>(a[0], a[1]); },
      "evaporation {0} until {u} has fallen to {1}"};
  kind.of_gravity = true;
  return kind;
}

Boundary evaporation(Function rate, Function lowest) {
  return Boundary(std::make_shared<Evaporation>(std::move(rate), std::move(lowest)));
}

}  // namespace williwaw
