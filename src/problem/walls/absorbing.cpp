// Lets waves out: q + √(conductivity·storage)·du/dt = 0, the characteristic condition of a wave that meets
// the wall head on; of higher order, or with a layer before it, by what stands in Outgoing.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Absorbing final : public Condition {
 public:
  explicit Absorbing(Outgoing outgoing) : Condition("absorbing", {}), outgoing_(outgoing) {
    if (outgoing_.order < 1 || outgoing_.order > 3)
      throw InputError("the order of an absorbing end must be 1, 2 or 3");
    if (outgoing_.layer != 0 && outgoing_.layer < 4)
      throw InputError("an absorbing layer needs at least 4 cells");
    if (outgoing_.layer != 0 && outgoing_.order != 1)
      throw InputError("an absorbing end takes an order or a layer, not both");
  }
  bool has_rate() const override { return true; }
  const Outgoing* outgoing() const override { return &outgoing_; }
  void law(const WallPlace& place, LawLine& out) const override {
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    for (std::size_t f = 0; f < out.rate.size(); ++f)
      out.rate[f] = std::sqrt(place.conductivity[f] * place.storage[f]);
  }

 private:
  Outgoing outgoing_;
};

}  // namespace

WallKind walls::absorbing_kind() {
  WallKind kind{"absorbing",
                {{"order", Quantity::count, 1.0}, {"layer", Quantity::count, 0.0}},
                [](const std::vector<Function>& a) {
                  const auto whole = [](const Function& f) {
                    return static_cast<int>(std::lround(f(Point{})));
                  };
                  return std::make_shared<Absorbing>(Outgoing{whole(a[0]), whole(a[1])});
                },
                "absorbing: lets waves out{how}"};
  kind.of_waves = true;
  kind.alone = true;
  return kind;
}

Wall absorbing(int order) {
  return Wall(std::make_shared<Absorbing>(Outgoing{order, 0}));
}

Wall absorbing_layer(int cells) {
  return Wall(std::make_shared<Absorbing>(Outgoing{1, cells}));
}

}  // namespace williwaw
