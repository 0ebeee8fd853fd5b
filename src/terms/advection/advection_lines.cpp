// Fluxes through the faces of one line: rows of neighbours, values on both sides, numerical flux; and the
// flows that they make.
#include <algorithm>
#include <cmath>

#include "terms/advection/advection_workspace.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw {

namespace {

// Less what leaves through the faces above, and what comes in through those below.
WILLIWAW_CLONES void take_flows(Index count, const Real* low, const Real* low_area, Real low_factor,
                                const Real* high, const Real* high_area, Real high_factor,
                                Real* __restrict out) {
  for (Index i = 0; i < count; ++i)
    out[i] -= high_factor * high_area[i] * high[i] - low_factor * low_area[i] * low[i];
}

// The same for one area of all faces.
WILLIWAW_CLONES void take_evenly(Index count, const Real* low, Real low_area, const Real* high,
                                 Real high_area, Real* __restrict out) {
  for (Index i = 0; i < count; ++i) out[i] -= high_area * high[i] - low_area * low[i];
}

// (f + speed·u)/2 and (f − speed·u)/2
WILLIWAW_CLONES void split_line(Index count, const Real* f, const Real* u, Real speed, Real* __restrict up,
                                Real* __restrict down) {
  for (Index i = 0; i < count; ++i) {
    up[i] = 0.5 * (f[i] + speed * u[i]);
    down[i] = 0.5 * (f[i] - speed * u[i]);
  }
}

}  // namespace

const Real* EvaluatedAdvection::halo_row(int axis, bool upper, Index depth, Index j, Index k) const {
  const Index nx = scheme_.grid.size(0), across = axis == 0   ? j + scheme_.grid.size(1) * k
                                                  : axis == 1 ? nx * k
                                                              : nx * j;
  return halo_[2 * axis + (upper ? 1 : 0)].data() + depth * (scheme_.grid.count() / scheme_.grid.size(axis)) +
         across;
}

Rows EvaluatedAdvection::rows_of(int axis, Index j, Index k, const Real* y,
                                 AdvectionWorkspace& workspace) const {
  const Index nx = scheme_.grid.size(0);
  Rows rows{};
  if (axis == 0) {
    const Real* u = y + scheme_.grid.number(0, j, k);
    Real* p = workspace.padded.data();
    std::copy_n(u, nx, p + 3);
    for (Index m = 0; m < 3; ++m)
      if (scheme_.grid.axis(0).periodic()) {
        p[2 - m] = u[(nx - 1 - m % nx) % nx];
        p[nx + 3 + m] = u[m % nx];
      } else {
        p[2 - m] = *halo_row(0, false, m, j, k);
        p[nx + 3 + m] = *halo_row(0, true, m, j, k);
      }
    for (std::size_t m = 0; m < 6; ++m) rows[m] = p + m;
    return rows;
  }
  const Index size = scheme_.grid.size(axis), face = axis == 1 ? j : k;
  for (Index m = 0; m < 6; ++m) {
    Index row = face - 3 + m;
    if (scheme_.grid.axis(axis).periodic()) row = (row % size + size) % size;
    if (row < 0)
      rows[m] = halo_row(axis, false, -1 - row, j, k);
    else if (row >= size)
      rows[m] = halo_row(axis, true, row - size, j, k);
    else
      rows[m] = y + (axis == 1 ? scheme_.grid.number(0, row, k) : scheme_.grid.number(0, j, row));
  }
  return rows;
}

std::pair<Real*, Real*> EvaluatedAdvection::reconstruct(int axis, Index j, Index k, const Rows& rows,
                                                        Index count, AdvectionWorkspace& workspace) const {
  const ReconstructionKind& kind = *scheme_.reconstruction;
  Real *left = workspace.left.data(), *right = workspace.right.data();
  if (!kind.ends || axis > 1 || !scheme_.spacing[axis].front().empty()) {
    reconstruct_line(kind, rows, scheme_.spacing[axis],
                     axis == 0   ? 0
                     : axis == 1 ? j
                                 : k,
                     axis == 0, count, left, right);
  } else if (axis == 0) {
    // From the cell before the first face to the one after the last.
    kind.ends(rows[1], rows[2], rows[3], count + 1, right, left);
    ++right;
  } else {
    // What lies left of these faces was found with what lies right of those below.
    const Index row = j + (scheme_.grid.size(1) + 2) * k;  // one number apart between planes
    if (workspace.left_of == row)
      workspace.left.swap(workspace.next_left);
    else
      kind.ends(rows[1], rows[2], rows[3], count, right, left);
    left = workspace.left.data();
    kind.ends(rows[2], rows[3], rows[4], count, right, workspace.next_left.data());
    workspace.left_of = row + 1;
  }
  if (scheme_.incomplete[axis].empty()) return {left, right};
  const std::size_t line = static_cast<std::size_t>(j + (scheme_.grid.size(1) + (axis == 1 ? 1 : 0)) * k);
  for (std::size_t n = scheme_.first_incomplete[axis][line]; n < scheme_.first_incomplete[axis][line + 1];
       ++n) {
    const auto& face = scheme_.incomplete[axis][n];
    if (face.low) left[face.i] = rows[2][face.i];
    if (face.high) right[face.i] = rows[3][face.i];
  }
  return {left, right};
}

// Fluxes at points, split by the largest speed and reconstructed each from its own side, keep their order in
// every dimension (Shu and Osher, 1989).
void EvaluatedAdvection::split_fluxes(int axis, const Rows& rows, Index j, Index k, Index count,
                                      AdvectionWorkspace& workspace, Real* out) const {
  const Real speed = largest_speed(axis);
  const Index nx = scheme_.grid.size(0), size = scheme_.grid.size(axis);
  Rows up{}, down{};
  // Along x one line holds all six rows, each moved on by one.
  const Index lines = axis == 0 ? 1 : 6, length = axis == 0 ? nx + 6 : count;
  for (Index m = 0; m < lines; ++m) {
    auto &a = workspace.parts[static_cast<std::size_t>(m)],
         &b = workspace.parts[static_cast<std::size_t>(m + 6)];
    for (auto* v : {&a, &b}) v->resize(static_cast<std::size_t>(length));
    const Real* u = rows[m];
    if (scheme_.law) {
      scheme_.law->flux(scheme_.grid.direction(axis), {u, static_cast<std::size_t>(length)},
                        {b.data(), static_cast<std::size_t>(length)});
    } else if (axis == 0) {
      const Real* v = centre_velocity_[0].data() + scheme_.grid.number(0, j, k);
      for (Index i = 0; i < length; ++i) {
        const Index at = i - 3;
        b[i] =
            u[i] * v[scheme_.grid.axis(0).periodic() ? (at + 3 * nx) % nx : std::clamp<Index>(at, 0, nx - 1)];
      }
    } else {
      Index row = (axis == 1 ? j : k) - 3 + m;
      row =
          scheme_.grid.axis(axis).periodic() ? (row + 3 * size) % size : std::clamp<Index>(row, 0, size - 1);
      const Real* v = centre_velocity_[axis].data() +
                      (axis == 1 ? scheme_.grid.number(0, row, k) : scheme_.grid.number(0, j, row));
      for (Index i = 0; i < length; ++i) b[i] = u[i] * v[i];
    }
    split_line(length, b.data(), u, speed, a.data(), b.data());
    up[m] = a.data();
    down[m] = b.data();
  }
  if (axis == 0)
    for (std::size_t m = 1; m < 6; ++m) {
      up[m] = up[0] + m;
      down[m] = down[0] + m;
    }
  // What goes up comes from below, what goes down from above; the other halves are not needed.
  scheme_.reconstruction->uniform(up, count, workspace.left.data(), workspace.right.data());
  std::copy_n(workspace.left.data(), count, out);
  scheme_.reconstruction->uniform(down, count, workspace.left.data(), workspace.right.data());
  for (Index i = 0; i < count; ++i) out[i] += workspace.right[i];
}

void EvaluatedAdvection::conductances(int axis, Index j, Index k, Index count, Real* out) const {
  const auto areas = velocities_.areas(axis, j, k);
  for (Index i = 0; i < count; ++i) {
    const Real area = areas.factor * areas.values[i];
    out[i] = 0;
    if (!(area > 0)) continue;
    std::array<Index, 3> at{i, j, k};
    // The face below the first unknown of a periodic axis lies above its last one.
    const bool end = at[axis] == scheme_.grid.size(axis);
    if (end) --at[axis];
    out[i] = conductances_->conductance(scheme_.grid.number(at[0], at[1], at[2]), axis, end) / area;
  }
}

void EvaluatedAdvection::face_fluxes(int axis, Index j, Index k, const Real* y, AdvectionWorkspace& workspace,
                                     Real* density) const {
  const Index count = scheme_.grid.size(0) + (axis == 0 ? 1 : 0);
  const auto areas = velocities_.areas(axis, j, k);
  if (areas.factor == 0) {
    std::fill_n(density, count, 0.0);
    return;
  }
  const Rows rows = rows_of(axis, j, k, y, workspace);
  if (scheme_.splits) {
    split_fluxes(axis, rows, j, k, count, workspace, density);
    return;
  }
  FaceLine line;
  line.count = count;
  line.left = rows[2];
  line.right = rows[3];
  if (scheme_.reconstruction->reach > 1) {
    const auto [left, right] = reconstruct(axis, j, k, rows, count, workspace);
    line.left = left;
    line.right = right;
  }
  line.law = scheme_.law;
  line.direction = scheme_.grid.direction(axis);
  if (!scheme_.law) line.velocity = velocities_.row(axis, j, k);
  line.turning = &turning_[axis];
  line.largest_speed = largest_speed(axis);
  line.workspace = workspace.law.data();
  if (scheme_.flux->blends) {
    conductances(axis, j, k, count, workspace.conductance.data());
    line.conductance = workspace.conductance.data();
  }
  if (scheme_.flux->needs_step)
    line.step_over_spacing = step_ / (scheme_.grid.axis(0).widths()[0] * scheme_.storage.per_volume());
  scheme_.flux->evaluate(line, density);
}

void EvaluatedAdvection::add_line(Index j, Index k, const Real* y, AdvectionWorkspace& workspace,
                                  Real* out) const {
  const Index nx = scheme_.grid.size(0), line = j + scheme_.grid.size(1) * k;
  const auto take = [&](int axis, const Real* low, const Real* high) {
    const auto below = velocities_.areas(axis, j, k);
    const auto above = axis == 0 ? below.after() : velocities_.areas(axis, j + (axis == 1), k + (axis == 2));
    const bool even = (below.even != 0 || below.factor == 0) && (above.even != 0 || above.factor == 0);
    if (even)
      take_evenly(nx, low, below.even, high, above.even, out);
    else
      take_flows(nx, low, below.values, below.factor, high, above.values, above.factor, out);
  };
  face_fluxes(0, j, k, y, workspace, workspace.below.data());
  // No area of theirs counts.
  if (!scheme_.grid.axis(0).periodic()) workspace.below[0] = workspace.below[nx] = 0;
  take(0, workspace.below.data(), workspace.below.data() + 1);
  if (scheme_.grid.dimension() > 1) {
    // The faces above the line before are those below this one.
    const bool known = j > 0 && workspace.line_above == line - 1;
    if (known)
      workspace.below.swap(workspace.above);
    else
      face_fluxes(1, j, k, y, workspace, workspace.below.data());
    face_fluxes(1, j + 1, k, y, workspace, workspace.above.data());
    workspace.line_above = line;
    take(1, workspace.below.data(), workspace.above.data());
  }
  if (scheme_.grid.dimension() > 2) {
    face_fluxes(2, j, k, y, workspace, workspace.below.data());
    face_fluxes(2, j, k + 1, y, workspace, workspace.beyond.data());
    take(2, workspace.below.data(), workspace.beyond.data());
  }
}

void EvaluatedAdvection::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::advection())) return;
  const Index nx = scheme_.grid.size(0);
  const LineRates& own = rates[static_cast<std::size_t>(scheme_.of.number)];
  const Real* block = line.y + scheme_.of.first;
  add_line(line.j, line.k, block, static_cast<AdvectionWorkspace&>(*line.scratch), own.flows());
  if (!scheme_.has_divergence_term) return;
  auto& booked = line.booked[scheme_.divergence_line];
  for (Index i = 0; i < nx; ++i) {
    const Index n = nx * line.number + i;
    const Real flow = divergence_term(n, block[n]);
    own.add(i, flow);
    booked.leaf(scheme_.of.domain->segments().number(line.number, i)) += flow;
  }
}

}  // namespace williwaw
