// What comes from upstream: the solution of the Riemann problem (Godunov, 1959), which for any law is its
// least value between both sides where it rises to the right, and its largest where it falls (Osher, 1984).
#include "kinds.hpp"

namespace williwaw {
namespace {

WILLIWAW_CLONES void advect(Index count, const Real* v, const Real* left, const Real* right,
                            Real* __restrict out) {
  for (Index i = 0; i < count; ++i) {
    const Real forward = v[i] > 0 ? v[i] : 0, back = v[i] - forward;
    out[i] = forward * left[i] + back * right[i];
  }
}

WILLIWAW_CLONES void ends_of(Index count, const Real* left, const Real* right, const Real* of_left,
                             const Real* of_right, Real* __restrict out) {
  for (Index i = 0; i < count; ++i) {
    const Real low = of_left[i] < of_right[i] ? of_left[i] : of_right[i],
               high = of_left[i] < of_right[i] ? of_right[i] : of_left[i];
    out[i] = left[i] <= right[i] ? low : high;
  }
}

// A place where the law turns counts for faces whose values lie on both sides of it.
WILLIWAW_CLONES void with_turn(Index count, const Real* left, const Real* right, Real place, Real flux,
                               Real* __restrict out) {
  for (Index i = 0; i < count; ++i) {
    const Real l = left[i], r = right[i], f = out[i];
    const Real low = f < flux ? f : flux, high = f < flux ? flux : f;
    const Real up = l < place && place < r ? low : f;
    out[i] = r < place && place < l ? high : up;
  }
}

// Both in one pass for the many laws that turn once.
WILLIWAW_CLONES void with_one_turn(Index count, const Real* left, const Real* right, const Real* of_left,
                                   const Real* of_right, Real place, Real flux, Real* __restrict out) {
  for (Index i = 0; i < count; ++i) {
    const Real l = left[i], r = right[i], a = of_left[i], b = of_right[i];
    const Real low = a < b ? a : b, high = a < b ? b : a;
    const Real lowest = low < flux ? low : flux, highest = high < flux ? flux : high;
    const Real up = l < place && place < r ? lowest : low, down = r < place && place < l ? highest : high;
    out[i] = l <= r ? up : down;
  }
}

void upwind_line(const FaceLine& line, Real* out) {
  if (line.velocity) {
    advect(line.count, line.velocity, line.left, line.right, out);
    return;
  }
  const fluxes::LawFluxes f(line);
  if (line.turning->places().size() == 1) {
    with_one_turn(line.count, line.left, line.right, f.left, f.right, line.turning->places()[0],
                  line.turning->fluxes()[0], out);
    return;
  }
  ends_of(line.count, line.left, line.right, f.left, f.right, out);
  for (std::size_t k = 0; k < line.turning->places().size(); ++k)
    with_turn(line.count, line.left, line.right, line.turning->places()[k], line.turning->fluxes()[k], out);
}

}  // namespace

NumericalFlux fluxes::upwind() {
  return {
      .name = "upwind", .monotone = true, .splits = true, .evaluate = upwind_line, .weights = upwind_weights};
}

}  // namespace williwaw
