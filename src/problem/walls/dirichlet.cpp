// The unknown is prescribed: 1·u + 0·q = value.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Dirichlet final : public Condition {
 public:
  explicit Dirichlet(Function value) : Condition("dirichlet", {std::move(value)}) {}
  bool holds() const override { return true; }
  const StreamEnd* stream_end() const override { return &stream_; }
  void law(const WallPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 1.0);
    std::fill(out.flux.begin(), out.flux.end(), 0.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }

 private:
  StreamEnd stream_;
};

}  // namespace

WallKind walls::dirichlet_kind() {
  return {"dirichlet",
          {{"", Quantity::unknown}},
          [](const std::vector<Function>& a) { return std::make_shared<Dirichlet>(a[0]); },
          "{u} held at {0}"};
}

Wall dirichlet(Function value) {
  return Wall(std::make_shared<Dirichlet>(std::move(value)));
}

}  // namespace williwaw
