// Evaporation: q = −rate until the surface has dried out.
#include "kinds.hpp"
#include "limited_flux.hpp"

namespace williwaw {
namespace {

BoundaryConditionPointer made_evaporation(const std::vector<Function>& a) {
  return std::make_shared<boundaries::LimitedFlux>("evaporation", a, a[0], -1, FluxLimit{a[1], false, {}});
}

}  // namespace

BoundaryConditionKind boundaries::evaporation_kind() {
  BoundaryConditionKind kind{"evaporation",
                             {{"rate", quantities::flux}, {"lowest_head", quantities::unknown}},
                             made_evaporation,
                             "evaporation {0} until {u} has fallen to {1}"};
  kind.of_gravity = true;
  return kind;
}

Boundary evaporation(Function rate, Function lowest) {
  return Boundary(made_evaporation({std::move(rate), std::move(lowest)}));
}

}  // namespace williwaw
