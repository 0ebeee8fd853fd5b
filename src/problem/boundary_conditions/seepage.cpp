// Outflow where the unknown on the boundary would rise above a value: q = 0 until then.
#include "kinds.hpp"
#include "limited_flux.hpp"

namespace williwaw {
namespace {

BoundaryConditionPointer made_seepage(const std::vector<Function>& a) {
  return std::make_shared<boundaries::LimitedFlux>("seepage", a, 0.0, 1, FluxLimit{a[0], true, {}});
}

}  // namespace

BoundaryConditionKind boundaries::seepage_kind() {
  BoundaryConditionKind kind{"seepage",
                             {{"", quantities::unknown}},
                             made_seepage,
                             "seepage: outflow where {u} would rise above {0}"};
  kind.of_gravity = true;
  return kind;
}

Boundary seepage(Function value) {
  return Boundary(made_seepage({std::move(value)}));
}

}  // namespace williwaw
