// Rain: q = rate until the surface ponds.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Rain final : public BoundaryCondition {
 public:
  Rain(Function rate, Function ponding)
      : BoundaryCondition("rain", {std::move(rate), std::move(ponding)}),
        limit_(FluxLimit{arguments()[1], true, "runoff"}) {}
  bool is_linear() const override { return false; }
  const FluxLimit* limit() const override { return &limit_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }

 private:
  FluxLimit limit_;
};

}  // namespace

BoundaryConditionKind boundaries::rain_kind() {
  BoundaryConditionKind kind{
      "rain",
      {{"rate", quantities::flux}, {"ponding", quantities::unknown}},
      [](const std::vector<Function>& a) { return std::make_shared<Rain>(a[0], a[1]); },
      "rain {0} until {u} reaches {1}, then runoff"};
  kind.of_gravity = true;
  return kind;
}

Boundary rain(Function rate, Function ponding) {
  return Boundary(std::make_shared<Rain>(std::move(rate), std::move(ponding)));
}

}  // namespace williwaw
