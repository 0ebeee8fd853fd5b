#include "williwaw/problem/advection.hpp"

#include <algorithm>

namespace williwaw {

namespace {
struct Quadratic {
  Real flux(Real u) const { return 0.5 * u * u; }
  Real speed(Real u) const { return u; }
};
}  // namespace

std::shared_ptr<const FluxLaw> quadratic_flux() {
  static const auto law = flux_law(Quadratic{}, "u²/2");
  return law;
}

Velocity Velocity::of_stream_function(Function psi) {
  Velocity v;
  v.stream_function = std::move(psi);
  return v;
}

bool Velocity::depends_on_place() const {
  return stream_function || std::ranges::any_of(along, &Function::depends_on_place);
}

bool Velocity::depends_on_time() const {
  return !instants.empty() || (stream_function && stream_function->depends_on_time()) ||
         std::ranges::any_of(along, &Function::depends_on_time);
}

}  // namespace williwaw
