// The mean of both sides: no numerical diffusion, and nothing that damps wiggles either.
#include "kinds.hpp"

namespace williwaw {
namespace {

fluxes::Weights central_weights(Real v, Real, Real, Real) {
  return {0.5 * v, 0.5 * v};
}

WILLIWAW_CLONES void central_line(const FaceLine& line, Real* __restrict out) {
  if (line.velocity) {
    for (Index i = 0; i < line.count; ++i) out[i] = 0.5 * line.velocity[i] * (line.left[i] + line.right[i]);
    return;
  }
  const fluxes::LawFluxes f(line);
  for (Index i = 0; i < line.count; ++i) out[i] = 0.5 * (f.left[i] + f.right[i]);
}

}  // namespace

NumericalFlux fluxes::central() {
  return {.name = "central",
          .order = 2,
          .largest_peclet = 2,
          .evaluate = central_line,
          .weights = central_weights};
}

}  // namespace williwaw
