// The mean of both sides less step/spacing·speed²/2·(right − left): of second order in one step of explicit
// Euler (Lax and Wendroff, 1960).
#include "kinds.hpp"

namespace williwaw {
namespace {

fluxes::Weights lax_wendroff_weights(Real v, Real, Real, Real ratio) {
  return {0.5 * (v + ratio * v * v), 0.5 * (v - ratio * v * v)};
}

void lax_wendroff_line(const FaceLine& line, Real* out) {
  if (line.velocity) {
    fluxes::by_weights<lax_wendroff_weights>(line, out);
    return;
  }
  const fluxes::LawFluxes f(line);
  const fluxes::LawSpeeds a(line);
  for (Index i = 0; i < line.count; ++i) {
    const Real speed = 0.5 * (a.left[i] + a.right[i]);
    out[i] = 0.5 * (f.left[i] + f.right[i] - line.step_over_spacing * speed * (f.right[i] - f.left[i]));
  }
}

}  // namespace

NumericalFlux fluxes::lax_wendroff() {
  return {.name = "lax-wendroff",
          .order = 2,
          .needs_step = true,
          .evaluate = lax_wendroff_line,
          .weights = lax_wendroff_weights};
}

}  // namespace williwaw
