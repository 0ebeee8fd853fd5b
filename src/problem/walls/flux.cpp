// The flux into the domain is prescribed: 0·u + 1·q = into.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Flux final : public Condition {
 public:
  explicit Flux(Function into) : Condition("flux", {std::move(into)}) {}
  void law(const WallPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }
};

}  // namespace

WallKind walls::flux_kind() {
  return {"flux",
          {{"", Quantity::flux}},
          [](const std::vector<Function>& a) { return std::make_shared<Flux>(a[0]); },
          "flux {0} into the domain"};
}

Wall flux(Function into) {
  return Wall(std::make_shared<Flux>(std::move(into)));
}

}  // namespace williwaw
