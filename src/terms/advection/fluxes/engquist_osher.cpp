// (f(left) + f(right))/2 less half of ∫|df/du| from left to right (Engquist and Osher, 1981): between two
// turning points the law runs one way, so that the integral is a sum of differences.
#include "kinds.hpp"

namespace williwaw {
namespace {

// ∫ |df/du| from a to b >= a
Real variation(const TurningPoints& t, Real a, Real fa, Real b, Real fb) {
  Real sum = 0, before = fa;
  for (std::size_t k = 0; k < t.places().size(); ++k)
    if (a < t.places()[k] && t.places()[k] < b) {
      sum += std::abs(t.fluxes()[k] - before);
      before = t.fluxes()[k];
    }
  return sum + std::abs(fb - before);
}

void engquist_osher_line(const FaceLine& line, Real* out) {
  if (line.velocity) {
    fluxes::by_weights<fluxes::upwind_weights>(line, out);
    return;
  }
  const fluxes::LawFluxes f(line);
  for (Index i = 0; i < line.count; ++i) {
    const bool rises = line.left[i] <= line.right[i];
    const Real between = rises
                             ? variation(*line.turning, line.left[i], f.left[i], line.right[i], f.right[i])
                             : -variation(*line.turning, line.right[i], f.right[i], line.left[i], f.left[i]);
    out[i] = 0.5 * (f.left[i] + f.right[i] - between);
  }
}

}  // namespace

NumericalFlux fluxes::engquist_osher() {
  return {
      .name = "engquist-osher", .monotone = true, .evaluate = engquist_osher_line, .weights = upwind_weights};
}

}  // namespace williwaw
