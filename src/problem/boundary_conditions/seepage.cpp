// Outflow where the unknown on the boundary would rise above a value: q = 0 until then.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Seepage final : public BoundaryCondition {
 public:
  Seepage(Function value)
      : BoundaryCondition("seepage", {std::move(value)}), limit_(FluxLimit{arguments()[0], true, {}}) {}
  bool is_linear() const override { return false; }
  const FluxLimit* limit() const override { return &limit_; }
  void law(const BoundaryPlace&, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    std::fill(out.data.begin(), out.data.end(), 0.0);
  }

 private:
  FluxLimit limit_;
};

}  // namespace

BoundaryConditionKind boundaries::seepage_kind() {
  BoundaryConditionKind kind{"seepage",
                             {{"", quantities::unknown}},
                             [](const std::vector<Function>& a) { return std::make_shared<Seepage>(a[0]); },
                             "seepage: outflow where {u} would rise above {0}"};
  kind.of_gravity = true;
  return kind;
}

Boundary seepage(Function value) {
  return Boundary(std::make_shared<Seepage>(std::move(value)));
}

}  // namespace williwaw
