// What advection transports through boundaries, what lies beyond them, and the matrix of it all.
#include <algorithm>
#include <cmath>

#include "williwaw/terms/advection_term.hpp"

namespace williwaw {

// Values beyond a boundary, mirrored about the value on it; where nothing holds that, deeper ones are
// mirrored plainly.
void EvaluatedAdvection::fill_halo(std::span<const Real> y) {
  for (int a = 0; a < scheme_.grid.dimension(); ++a) {
    if (scheme_.grid.axis(a).periodic()) continue;
    const Index size = scheme_.grid.size(a), stride = scheme_.grid.stride(a);
    const Index sheet = scheme_.grid.count() / size;
    for (const bool upper : {false, true}) {
      Real* out = halo_[2 * a + (upper ? 1 : 0)].data();
      for (Index c = 0; c < sheet; ++c) {
        const Index first = c % stride + (c / stride) * stride * size + (upper ? (size - 1) * stride : 0);
        for (Index m = 0; m < 3; ++m)
          out[m * sheet + c] = y[first + (upper ? -1 : 1) * std::min(m, size - 1) * stride];
      }
    }
  }
  if (scheme_.reconstruction->reach < 2) return;
  for (const EvaluatedBoundaryClosure& boundary : *closures_)
    for (Index f = 0; f < boundary.faces(); ++f) {
      const BoundaryFace& face = boundary.face(f);
      if (!face.on_side) continue;
      const int a = face.axis;
      const Index size = scheme_.grid.size(a), stride = scheme_.grid.stride(a);
      const Index sheet = scheme_.grid.count() / size, n = face.unknown,
                  inwards = face.upper ? -stride : stride;
      const Index c = n % stride + n / (stride * size) * stride;
      Real* out = halo_[2 * a + (face.upper ? 1 : 0)].data();
      const Real on_boundary = boundary.boundary_value(f, y[n]);
      if (scheme_.grid.axis(a).unknowns() == Unknowns::nodes) {
        if (size > 1) out[c] = 2 * y[n] - y[n + inwards];
        continue;
      }
      const AdvectiveBoundary* end = boundary.section().boundary.advective_boundary();
      // Through an outlet the profile goes on as it came.
      if (end && end->backflow == AdvectiveBoundary::Backflow::inside && size > 1) {
        for (Index m = 0; m < 3; ++m)
          out[m * sheet + c] = y[n] + static_cast<Real>(m + 1) * (y[n] - y[n + inwards]);
        continue;
      }
      out[c] = 2 * on_boundary - y[n];
      if (!boundary.section().boundary.holds()) continue;
      for (Index m = 1; m < std::min<Index>(3, size); ++m)
        out[m * sheet + c] = 2 * on_boundary - y[n + m * inwards];
    }
}

// `u` is the value beside the boundary, `beside` the next one inside.
Real EvaluatedAdvection::boundary_flow(std::size_t closure, Index f, Real u, Real beside) const {
  const EvaluatedBoundaryClosure& boundary = (*closures_)[closure];
  const AdvectiveBoundary& end = *boundary.section().boundary.advective_boundary();
  const BoundaryFace& face = boundary.face(f);
  using Backflow = AdvectiveBoundary::Backflow;
  // As steep as it comes where slopes are taken at all.
  const bool slopes = scheme_.reconstruction->reach > 1 && face.on_side &&
                      scheme_.grid.axis(face.axis).unknowns() == Unknowns::cells;
  const Real inside = slopes ? u + 0.5 * (u - beside) : u;
  const auto backflow = [&]() {
    switch (end.backflow) {
      case Backflow::boundary:
        return boundary.boundary_value(f, u);
      case Backflow::value:
        return end.value(face.place, now_);
      case Backflow::fraction:
        return end.value(face.place, now_) * u;
      case Backflow::inside:
        break;
    }
    return inside;
  };
  if (!scheme_.law) {
    const Real in = velocities_.inward(closure, f);
    if (in > 0) return in * backflow();
    // A mean of both sides is the value on the boundary, if there is one; what comes from upstream lies
    // inside.
    const bool central = scheme_.flux->weights(1, 0, 1, 0).second != 0;
    return in * (end.backflow == Backflow::boundary && (central || !boundary.section().boundary.holds())
                     ? boundary.boundary_value(f, u)
                 : end.backflow == Backflow::boundary ? u
                                                      : inside);
  }
  const int direction = scheme_.grid.direction(face.axis);
  Real workspace[4], out = 0;
  const Real beyond = end.backflow == Backflow::inside ? u : backflow();
  FaceLine line;
  line.count = 1;
  line.left = face.upper ? &u : &beyond;
  line.right = face.upper ? &beyond : &u;
  line.law = scheme_.law;
  line.direction = direction;
  line.turning = &turning_[face.axis];
  line.largest_speed = largest_[face.axis];
  line.step_over_spacing = scheme_.flux->needs_step ? step_ / scheme_.grid.axis(0).widths()[0] : 0;
  line.workspace = workspace;
  scheme_.flux->evaluate(line, &out);
  return (face.upper ? -out : out) * face.area;
}

namespace {
Index next_inside(const Grid& grid, const Outline& outline, const BoundaryFace& face) {
  if (!face.on_side || grid.size(face.axis) < 2) return face.unknown;
  const Index stride = grid.stride(face.axis), other = face.unknown + (face.upper ? -stride : stride);
  return outline.active(other) ? other : face.unknown;
}
}  // namespace

void EvaluatedAdvection::meet_boundaries(std::span<const Real> y) {
  for (std::size_t c = 0; c < closures_->size(); ++c) {
    const EvaluatedBoundaryClosure& boundary = (*closures_)[c];
    if (!velocities_.open(c)) continue;
    for (Index f = 0; f < boundary.faces(); ++f)
      // What holds an unknown supplies what it lacks, whatever carries it.
      through_[c][static_cast<std::size_t>(f)] =
          boundary.prescribes(f)
              ? 0
              : boundary_flow(c, f, y[boundary.unknown(f)],
                              y[next_inside(scheme_.grid, scheme_.outline, boundary.face(f))]);
  }
}

std::pair<Real, Real> EvaluatedAdvection::weights(std::span<const Real> y, int axis, Index below,
                                                  Index above) const {
  const auto at = scheme_.grid.position(below);
  const Index i = axis == 0 ? at[0] + 1 : at[0], j = at[1] + (axis == 1), k = at[2] + (axis == 2);
  const auto areas = velocities_.areas(axis, j, k);
  const Real area = areas.factor * areas.values[i];
  if (!(area > 0)) return {0, 0};
  if (!scheme_.law) {
    const Real d = scheme_.flux->blends ? conductances_->conductance(below, axis, true) / area : 0;
    const auto [a, b] =
        scheme_.flux->weights(velocities_.row(axis, j, k)[i], d, velocities_.largest(axis), 0);
    return {area * a, area * b};
  }
  Real low = 0, high = 0;
  scheme_.law->speed(scheme_.grid.direction(axis), {y.data() + below, 1}, {&low, 1});
  scheme_.law->speed(scheme_.grid.direction(axis), {y.data() + above, 1}, {&high, 1});
  const Real most = std::max(std::abs(low), std::abs(high));
  return {0.5 * area * (low + most), 0.5 * area * (high - most)};
}

void EvaluatedAdvection::linearise(const Evaluation&, std::span<const Real> state, Real b, Parts parts,
                                   std::span<FaceSystem> matrices) const {
  if (!parts.has(Parts::advection())) return;
  FaceSystem& matrix = matrices[static_cast<std::size_t>(scheme_.of.number)];
  const std::span<const Real> y = scheme_.of.in(state);
  for (int a = 0; a < scheme_.grid.dimension(); ++a)
    for (Index n = 0; n < scheme_.grid.count(); ++n) {
      const Index above = matrix.neighbour(n, a, true);
      if (above < 0 || !scheme_.outline.active(n)) continue;
      const auto [first, second] = weights(y, a, n, above);
      matrix.diagonal[n] += b * first;
      matrix.upper[a][n] += b * second;
      matrix.lower[a][above] -= b * first;
      matrix.diagonal[above] -= b * second;
    }
  // What the values of a law are of the order of.
  const Real largest = std::max(std::abs(range_.lowest), std::abs(range_.highest)),
             size = largest > 0 ? largest : 1;
  for (std::size_t c = 0; c < closures_->size(); ++c) {
    if (!velocities_.open(c)) continue;
    const EvaluatedBoundaryClosure& boundary = (*closures_)[c];
    for (Index f = 0; f < boundary.faces(); ++f) {
      if (boundary.prescribes(f)) continue;
      const Real u = y[boundary.unknown(f)], step = scheme_.law ? 1e-6 * size : 1;
      // The slope that an outlet takes from further inside is left to the correction.
      const Real beside = y[next_inside(scheme_.grid, scheme_.outline, boundary.face(f))];
      const Real slope =
          (boundary_flow(c, f, u + step, beside + step) - boundary_flow(c, f, u, beside)) / step;
      matrix.diagonal[boundary.unknown(f)] -= b * slope;
    }
  }
  if (scheme_.has_divergence_term)
    for (Index n = 0; n < scheme_.grid.count(); ++n) matrix.diagonal[n] -= b * velocities_.divergence()[n];
}

}  // namespace williwaw
