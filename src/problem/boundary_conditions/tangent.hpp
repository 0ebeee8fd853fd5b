// Fluxes that depend on the unknown on the boundary, stated as their tangents.
#pragma once

#include <cmath>

#include "williwaw/problem/boundary_condition.hpp"

namespace williwaw::boundaries {

/// The law of face f becomes q = amount + slope·(u − about): exact where the unknown on the boundary is
/// `place.about`.
inline void tangent_flux(const BoundaryPlace& place, std::size_t f, Real amount, Real slope, LawLine& out) {
  if (!std::isfinite(slope)) slope = 0;
  const Real about = f < place.about.size() ? place.about[f] : 0;
  out.value[f] = -slope;
  out.flux[f] = 1;
  out.data[f] = amount - slope * about;
}

/// An argument and its derivative by the unknown on the boundary.
struct OnBoundary {
  std::vector<Real> value, slope;
  OnBoundary(const Function& argument, const BoundaryPlace& place)
      : value(static_cast<std::size_t>(place.points.size())), slope(value.size()) {
    if (!argument.depends_on_unknown()) {
      argument.evaluate(place.points, place.time, value);
      return;
    }
    std::vector<Real> about(place.about.begin(), place.about.end());
    about.resize(value.size());
    argument.evaluate(place.points, place.time, about, value);
    argument.slope(place.points, place.time, about, slope);
  }
};

}  // namespace williwaw::boundaries
