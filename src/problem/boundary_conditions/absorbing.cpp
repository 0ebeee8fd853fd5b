// Lets waves out: q + √(conductivity·storage)·du/dt = 0, the characteristic condition of a wave that meets
// the boundary head on; of higher order, or with a layer before it, by Absorption.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Absorbing final : public BoundaryCondition {
 public:
  explicit Absorbing(Absorption absorption) : BoundaryCondition("absorbing", {}), absorption_(absorption) {
    if (absorption_.order < 1 || absorption_.order > 3)
      throw InputError(Subject::boundary, "the order of an absorbing boundary must be 1, 2 or 3");
    if (absorption_.layer != 0 && absorption_.layer < 4)
      throw InputError(Subject::boundary, "an absorbing layer needs at least 4 cells");
    if (absorption_.layer != 0 && absorption_.order != 1)
      throw InputError(Subject::boundary, "absorbing takes an order or a layer, not both");
  }
  bool has_rate() const override { return true; }
  const Absorption* absorption() const override { return &absorption_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    for (std::size_t f = 0; f < out.rate.size(); ++f)
      out.rate[f] = std::sqrt(place.conductivity[f] * place.storage[f]);
  }

 private:
  Absorption absorption_;
};

}  // namespace

BoundaryConditionKind boundaries::absorbing_kind() {
  BoundaryConditionKind kind{"absorbing",
                             {{"order", quantities::count, 1.0}, {"layer", quantities::cells, 0.0}},
                             [](const std::vector<Function>& a) {
                               const auto whole = [](const Function& f) {
                                 return static_cast<int>(std::lround(f(Point{})));
                               };
                               return std::make_shared<Absorbing>(Absorption{whole(a[0]), whole(a[1])});
                             },
                             "absorbing{how}"};
  kind.of_waves = true;
  kind.alone = true;
  return kind;
}

Boundary absorbing(int order) {
  return Boundary(std::make_shared<Absorbing>(Absorption{order, 0}));
}

Boundary absorbing_layer(int cells) {
  return Boundary(std::make_shared<Absorbing>(Absorption{1, cells}));
}

}  // namespace williwaw
