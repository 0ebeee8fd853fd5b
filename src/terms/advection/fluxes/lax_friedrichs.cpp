// (f(left) + f(right))/2 less half of speed·(right − left), with the largest speed of both sides (Rusanov,
// 1961) or of all places.
#include "kinds.hpp"

namespace williwaw {
namespace {

fluxes::Weights global_weights(Real v, Real, Real largest, Real) {
  return {0.5 * (v + largest), 0.5 * (v - largest)};
}

// The largest speed between both sides: at one of them, or where it peaks.
void local_line(const FaceLine& line, Real* out) {
  if (line.velocity) {
    fluxes::by_weights<fluxes::upwind_weights>(line, out);
    return;
  }
  const fluxes::LawFluxes f(line);
  const fluxes::LawSpeeds a(line);
  for (Index i = 0; i < line.count; ++i) {
    Real speed = std::max(std::abs(a.left[i]), std::abs(a.right[i]));
    for (const auto& [place, peak] : line.turning->peaks())
      if ((line.left[i] - place) * (line.right[i] - place) < 0) speed = std::max(speed, peak);
    out[i] = 0.5 * (f.left[i] + f.right[i] - speed * (line.right[i] - line.left[i]));
  }
}

void global_line(const FaceLine& line, Real* out) {
  if (line.velocity) {
    fluxes::by_weights<global_weights>(line, out);
    return;
  }
  const fluxes::LawFluxes f(line);
  for (Index i = 0; i < line.count; ++i)
    out[i] = 0.5 * (f.left[i] + f.right[i] - line.largest_speed * (line.right[i] - line.left[i]));
}

}  // namespace

NumericalFlux fluxes::local_lax_friedrichs() {
  return {
      .name = "local-lax-friedrichs", .monotone = true, .evaluate = local_line, .weights = upwind_weights};
}

NumericalFlux fluxes::lax_friedrichs() {
  return {.name = "lax-friedrichs",
          .monotone = true,
          .splits = true,
          .evaluate = global_line,
          .weights = global_weights};
}

}  // namespace williwaw
