// Exchange with surroundings: q = h·(ambient − u), that is h·u + 1·q = h·ambient.
#include <algorithm>

#include "kinds.hpp"
#include "tangent.hpp"

namespace williwaw {
namespace {

class Robin final : public BoundaryCondition {
 public:
  Robin(Function coefficient, Function ambient)
      : BoundaryCondition("robin", {std::move(coefficient), std::move(ambient)}) {}
  bool left_side_depends_on_time() const override { return arguments()[0].depends_on_time(); }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    if (!is_linear()) {
      // q' = h'·(ambient − u) + h·(ambient' − 1)
      const boundaries::OnBoundary h(arguments()[0], place), ambient(arguments()[1], place);
      for (std::size_t f = 0; f < out.data.size(); ++f) {
        const Real drop = ambient.value[f] - (f < place.about.size() ? place.about[f] : 0);
        boundaries::tangent_flux(place, f, h.value[f] * drop,
                                 h.slope[f] * drop + h.value[f] * (ambient.slope[f] - 1), out);
      }
      return;
    }
    arguments()[0].evaluate(place.points, place.time, out.value);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[1].evaluate(place.points, place.time, out.data);
    for (std::size_t f = 0; f < out.data.size(); ++f) out.data[f] *= out.value[f];
  }
};

}  // namespace

BoundaryConditionKind boundaries::robin_kind() {
  BoundaryConditionKind kind{
      "robin",
      {{"coefficient", quantities::exchange}, {"ambient", quantities::unknown}},
      [](const std::vector<Function>& a) { return std::make_shared<Robin>(a[0], a[1]); },
      "exchange with {1}, coefficient {0}"};
  kind.of_unknown = true;
  return kind;
}

Boundary robin(Function coefficient, Function ambient) {
  return Boundary(std::make_shared<Robin>(std::move(coefficient), std::move(ambient)));
}

}  // namespace williwaw
