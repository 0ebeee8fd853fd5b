// Rain: q = rate until the surface ponds; what is not taken runs off.
#include "kinds.hpp"
#include "limited_flux.hpp"

namespace williwaw {
namespace {

BoundaryConditionPointer made_rain(const std::vector<Function>& a) {
  return std::make_shared<boundaries::LimitedFlux>("rain", a, a[0], 1, FluxLimit{a[1], true, "runoff"});
}

}  // namespace

BoundaryConditionKind boundaries::rain_kind() {
  BoundaryConditionKind kind{"rain",
                             {{"rate", quantities::flux}, {"ponding", quantities::unknown}},
                             made_rain,
                             "rain {0} until {u} reaches {1}, then runoff"};
  kind.of_gravity = true;
  return kind;
}

Boundary rain(Function rate, Function ponding) {
  return Boundary(made_rain({std::move(rate), std::move(ponding)}));
}

}  // namespace williwaw
