// Exchange with surroundings: q = h·(ambient − u), that is h·u + 1·q = h·ambient.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Robin final : public BoundaryCondition {
 public:
  Robin(Function coefficient, Function ambient)
      : BoundaryCondition("robin", {std::move(coefficient), std::move(ambient)}) {}
  bool left_side_depends_on_time() const override { return arguments()[0].depends_on_time(); }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    arguments()[0].evaluate(place.points, place.time, out.value);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[1].evaluate(place.points, place.time, out.data);
    for (std::size_t f = 0; f < out.data.size(); ++f) out.data[f] *= out.value[f];
  }
};

}  // namespace

BoundaryConditionKind boundaries::robin_kind() {
  return {"robin",
          {{"coefficient", quantities::exchange}, {"ambient", quantities::unknown}},
          [](const std::vector<Function>& a) { return std::make_shared<Robin>(a[0], a[1]); },
          "exchange with {1}, coefficient {0}"};
}

Boundary robin(Function coefficient, Function ambient) {
  return Boundary(std::make_shared<Robin>(std::move(coefficient), std::move(ambient)));
}

}  // namespace williwaw
