// The flux into the domain is prescribed: 0·u + 1·q = into.
#include "kinds.hpp"
#include "tangent.hpp"

namespace williwaw {
namespace {

class Flux final : public BoundaryCondition {
 public:
  explicit Flux(Function into) : BoundaryCondition("flux", {std::move(into)}) {}
  void law(const BoundaryPlace& place, LawLine& out) const override {
    const boundaries::OnBoundary into(arguments()[0], place);
    for (std::size_t f = 0; f < out.data.size(); ++f)
      boundaries::tangent_flux(place, f, into.value[f], into.slope[f], out);
  }
};

}  // namespace

BoundaryConditionKind boundaries::flux_kind() {
  BoundaryConditionKind kind{"flux",
                             {{"", quantities::flux}},
                             [](const std::vector<Function>& a) { return std::make_shared<Flux>(a[0]); },
                             "flux {0} into the domain"};
  kind.of_unknown = true;
  return kind;
}

Boundary flux(Function into) {
  return Boundary(std::make_shared<Flux>(std::move(into)));
}

}  // namespace williwaw
