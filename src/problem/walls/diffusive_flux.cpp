// The flux that diffuses into the domain is prescribed: 0·u + 1·q = into, and a stream passes besides.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class DiffusiveFlux final : public Condition {
 public:
  explicit DiffusiveFlux(Function into) : Condition("diffusive_flux", {std::move(into)}) {}
  const StreamEnd* stream_end() const override { return &stream_; }
  void law(const WallPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    arguments()[0].evaluate(place.points, place.time, out.data);
  }

 private:
  StreamEnd stream_;
};

}  // namespace

WallKind walls::diffusive_flux_kind() {
  return {"diffusive_flux",
          {{"", Quantity::flux}},
          [](const std::vector<Function>& a) { return std::make_shared<DiffusiveFlux>(a[0]); },
          "{0} diffuses into the domain, besides what the stream carries"};
}

Wall diffusive_flux(Function into) {
  return Wall(std::make_shared<DiffusiveFlux>(std::move(into)));
}

}  // namespace williwaw
