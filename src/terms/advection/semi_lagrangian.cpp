#include "terms/advection/semi_lagrangian.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {
// Pieces of a path; advection that passes more cells in a step than this is not followed any better.
constexpr int most_pieces = 64;
}  // namespace

SemiLagrangian::SemiLagrangian(ProblemBalance& balance, LineId line, int threads)
    : balance_(balance), grid_(balance.grid()), line_(line), threads_(threads) {
  const Equation& e = balance.problem().equation();
  if (e.advection->law)
    throw InputError(
        Subject::scheme,
        "scheme 'semi-lagrangian' follows a velocity; shocks of a flux law need schemes in flux form");
  if (!e.storage.is_constant())
    throw InputError(Subject::scheme, "scheme 'semi-lagrangian' needs a storage that is one number");
  for (int a = 0; a < grid_.dimension(); ++a)
    if (grid_.axis(a).coordinates() != Coordinates::cartesian)
      throw InputError(Subject::scheme, "scheme 'semi-lagrangian' is for straight axes");
  storage_ = e.storage(Point{});
  const auto nothing = [](const Function& f) { return f.is_constant() && f(Point{}) == 0; };
  alone_ = nothing(e.source) && !e.reaction && e.points.empty() &&
           std::ranges::all_of(e.diffusion.coefficient, nothing) &&
           std::ranges::all_of(balance.closures(), [](const BoundaryClosure& c) {
             return c.section().boundary.advective_boundary() != nullptr;
           });
  for (int a = 0; a < grid_.dimension(); ++a)
    for (const int side : {2 * a, 2 * a + 1})
      boundaries_[static_cast<std::size_t>(side)].assign(static_cast<std::size_t>(grid_.count()), {-1, 0});
  for (std::size_t c = 0; c < balance.closures().size(); ++c) {
    const BoundaryClosure& boundary = balance.closures()[c];
    for (Index f = 0; f < boundary.faces(); ++f)
      if (boundary.face(f).on_side)
        boundaries_[static_cast<std::size_t>(Side{boundary.face(f).axis, boundary.face(f).upper}.number())]
                   [static_cast<std::size_t>(boundary.unknown(f))] = {static_cast<int>(c), f};
  }
}

// The control volume along one axis that holds a position; the nearest for one outside.
Index SemiLagrangian::along(int axis, Real position) const {
  const Axis& a = grid_.axis(axis);
  const Real at = a.wrap(position);
  if (a.is_uniform() && a.unknowns() == Unknowns::cells)
    return std::clamp<Index>(static_cast<Index>(std::floor((at - a.from()) / a.widths()[0])), 0,
                             a.size() - 1);
  const auto bounds = a.bounds();
  return std::clamp<Index>(std::ranges::upper_bound(bounds, at) - bounds.begin() - 1, 0, a.size() - 1);
}

bool SemiLagrangian::outside(const Point& place) const {
  for (int a = 0; a < grid_.dimension(); ++a) {
    const Axis& axis = grid_.axis(a);
    const Real s = place[grid_.direction(a)];
    if (!axis.periodic() && (s < axis.from() || s > axis.to())) return true;
  }
  return false;
}

// Each component is linear between its own faces, and between the middles of control volumes across.
Point SemiLagrangian::velocity(const Point& place) const {
  const FaceVelocities& v = advection_->velocities();
  std::array<Index, 3> cell{0, 0, 0};
  for (int a = 0; a < grid_.dimension(); ++a) cell[a] = along(a, place[grid_.direction(a)]);
  Point result;
  for (int a = 0; a < grid_.dimension(); ++a) {
    // Of each axis: two neighbouring places and the fraction of the second one.
    std::array<std::array<Index, 2>, 3> at{};
    std::array<Real, 3> fraction{0, 0, 0};
    for (int b = 0; b < grid_.dimension(); ++b) {
      const Axis& axis = grid_.axis(b);
      const Real s = axis.wrap(place[grid_.direction(b)]);
      const Index i = cell[b], size = axis.size();
      if (b == a) {
        at[b] = {i, i + 1};
        fraction[b] = std::clamp((s - axis.bounds()[i]) / axis.widths()[i], 0.0, 1.0);
        continue;
      }
      const bool up = s > axis.points()[i];
      Index other = i + (up ? 1 : -1);
      const Real gap = axis.gaps()[up ? i + 1 : i];
      if (axis.periodic())
        other = (other + size) % size;
      else if (other < 0 || other >= size)
        other = i;
      at[b] = {i, other};
      fraction[b] = other == i || !(gap > 0) ? 0 : std::clamp(std::abs(s - axis.points()[i]) / gap, 0.0, 1.0);
    }
    Real sum = 0;
    const auto dimension = static_cast<std::size_t>(grid_.dimension());
    for (std::size_t corner = 0; corner < (std::size_t{1} << dimension); ++corner) {
      Real weight = 1;
      std::array<Index, 3> n{0, 0, 0};
      for (std::size_t b = 0; b < dimension; ++b) {
        const bool second = (corner >> b) & 1U;
        weight *= second ? fraction[b] : 1 - fraction[b];
        n[b] = at[b][second ? 1 : 0];
      }
      if (weight == 0) continue;
      sum += weight * v.row(a, n[1], n[2])[n[0]];
    }
    result[grid_.direction(a)] = sum / storage_;
  }
  return result;
}

// Cubic through four unknowns along each axis, within the range of the two around the place.
Real SemiLagrangian::between(const std::array<Index, 3>& cell, const Point& place, const State& y) const {
  std::array<std::array<Index, 4>, 3> at{};
  std::array<std::array<Real, 4>, 3> weight{};
  std::array<std::array<bool, 4>, 3> near{};
  for (int a = 0; a < 3; ++a) {
    weight[a] = {0, 1, 0, 0};
    near[a] = {false, true, false, false};
    if (a >= grid_.dimension() || grid_.size(a) < 2) continue;
    const Axis& axis = grid_.axis(a);
    const Index size = axis.size();
    const Real s = axis.wrap(place[grid_.direction(a)]);
    const Index first = cell[a] - (s < axis.points()[cell[a]] ? 1 : 0);
    std::array<Real, 4> x{};
    bool whole = true;
    for (Index m = 0; m < 4; ++m) {
      Index i = first - 1 + m;
      Real shift = 0;
      if (axis.periodic()) {
        const Index round = static_cast<Index>(std::floor(static_cast<Real>(i) / static_cast<Real>(size)));
        i -= round * size;
        shift = static_cast<Real>(round) * axis.length();
      } else if (i < 0 || i >= size) {
        whole = false;
        i = std::clamp<Index>(i, 0, size - 1);
      }
      at[a][m] = i;
      x[m] = axis.points()[i] + shift;
    }
    near[a] = {false, true, true, false};
    if (whole) {
      for (std::size_t m = 0; m < 4; ++m) {
        weight[a][m] = 1;
        for (std::size_t n = 0; n < 4; ++n)
          if (n != m) weight[a][m] *= (s - x[n]) / (x[m] - x[n]);
      }
    } else {
      const Real gap = x[2] - x[1], fraction = gap > 0 ? std::clamp((s - x[1]) / gap, 0.0, 1.0) : 0;
      weight[a] = {0, 1 - fraction, fraction, 0};
    }
  }
  Real sum = 0, low = std::numeric_limits<Real>::infinity(), high = -low;
  Real linear = 0, linear_weight = 0;
  bool complete = true;
  const bool whole = balance_.outline().whole();
  for (std::size_t k = 0; k < (grid_.dimension() > 2 ? 4U : 1U); ++k)
    for (std::size_t j = 0; j < (grid_.dimension() > 1 ? 4U : 1U); ++j)
      for (std::size_t i = 0; i < 4; ++i) {
        const std::size_t row = grid_.dimension() > 1 ? j : 1, sheet = grid_.dimension() > 2 ? k : 1;
        const Real w = weight[0][i] * weight[1][row] * weight[2][sheet];
        const bool close = near[0][i] && near[1][row] && near[2][sheet];
        if (w == 0 && !close) continue;
        const Index n = grid_.number(at[0][i], at[1][row], at[2][sheet]);
        if (!whole && !balance_.outline().active(n)) {
          complete = complete && w == 0;
          continue;
        }
        sum += w * y[n];
        if (!close) continue;
        low = std::min(low, y[n]);
        high = std::max(high, y[n]);
        const Real fraction = std::max(w, 1e-12);
        linear += fraction * y[n];
        linear_weight += fraction;
      }
  // Beside outlines the unknowns that are there must do.
  if (!complete) sum = linear_weight > 0 ? linear / linear_weight : 0;
  return low <= high ? std::clamp(sum, low, high) : sum;
}

Real SemiLagrangian::value(const Point& place, const State& y) const {
  std::array<Index, 3> cell{0, 0, 0};
  for (int a = 0; a < grid_.dimension(); ++a) cell[a] = along(a, place[grid_.direction(a)]);
  return between(cell, place, y);
}

// What came in through the boundary that the way from inside (`to`) to outside (`from`) crosses first.
Real SemiLagrangian::through_boundary(const Point& from, const Point& to, const State& y, Real at) const {
  Real fraction = 2;
  Side side;
  for (int a = 0; a < grid_.dimension(); ++a) {
    const Axis& axis = grid_.axis(a);
    if (axis.periodic()) continue;
    const Real s = from[grid_.direction(a)], inside = to[grid_.direction(a)];
    if (s >= axis.from() && s <= axis.to()) continue;
    const bool upper = s > axis.to();
    const Real crossed = ((upper ? axis.to() : axis.from()) - inside) / (s - inside);
    if (crossed < fraction) {
      fraction = crossed;
      side = {a, upper};
    }
  }
  Point place;
  std::array<Index, 3> cell{0, 0, 0};
  for (int a = 0; a < grid_.dimension(); ++a) {
    const int direction = grid_.direction(a);
    place[direction] = to[direction] + fraction * (from[direction] - to[direction]);
    cell[a] = a == side.axis ? (side.upper ? grid_.size(a) - 1 : 0) : along(a, place[direction]);
  }
  const Index n = grid_.number(cell[0], cell[1], cell[2]);
  const auto [closure, face] =
      boundaries_[static_cast<std::size_t>(side.number())][static_cast<std::size_t>(n)];
  const Real inside = y[n];
  if (closure < 0) return inside;
  const EvaluatedBoundaryClosure& boundary = advection_->closures()[static_cast<std::size_t>(closure)];
  const AdvectiveBoundary* end = boundary.section().boundary.advective_boundary();
  if (!end) return inside;
  switch (end->backflow) {
    case AdvectiveBoundary::Backflow::boundary:
      return boundary.boundary_value(face, inside);
    case AdvectiveBoundary::Backflow::value:
      return end->value(place, at);
    case AdvectiveBoundary::Backflow::fraction:
      return end->value(place, at) * inside;
    case AdvectiveBoundary::Backflow::inside:
      break;
  }
  return inside;
}

// Largest difference of neighbouring velocities along x and y, over their distance.
Real SemiLagrangian::shear() const {
  const FaceVelocities& v = advection_->velocities();
  const Index nx = grid_.size(0), ny = grid_.size(1), nz = grid_.size(2);
  Real most = 0;
  for (int a = 0; a < grid_.dimension(); ++a)
    for (Index k = 0; k < nz; ++k)
      for (Index j = 0; j < ny; ++j) {
        const Real* here = v.row(a, j, k);
        const Real* beside = j + 1 < ny ? v.row(a, j + 1, k) : here;
        Real along_x = 0, across = 0;
        for (Index i = 0; i + 1 < nx; ++i) {
          along_x = std::max(along_x, std::abs(here[i + 1] - here[i]));
          across = std::max(across, std::abs(beside[i] - here[i]));
        }
        const Real width = grid_.axis(0).is_uniform() ? grid_.axis(0).widths()[0]
                                                      : *std::ranges::min_element(grid_.axis(0).widths());
        most = std::max(most, along_x / width);
        if (grid_.dimension() > 1) most = std::max(most, across / grid_.axis(1).widths()[j]);
      }
  return most;
}

void SemiLagrangian::advect(const State& y, Real at, Real step, State& out) {
  // The velocity of half-way serves the whole step.
  advection_ = balance_.advection(at + 0.5 * step, y);
  // Where shores may be met every cell on the way is looked at; elsewhere a path is as straight as the flow
  // is even.
  const Real bends = balance_.outline().whole() ? 4 * shear() : advection_->velocities().fastest();
  const int pieces = std::clamp(static_cast<int>(std::ceil(bends * step / storage_)), 1, most_pieces);
  const Real length = step / pieces;
  const Index count = grid_.count();
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index n = 0; n < count; ++n) {
    if (!balance_.outline().active(n)) {
      out[n] = 0;
      continue;
    }
    Point place = grid_.point_of(n);
    bool found = false;
    for (int p = 0; p < pieces && !found; ++p) {
      const Point v = velocity(place);
      const auto back = [&](const Point& from, const Point& along_v, Real time) {
        return Point{from.x - time * along_v.x, from.y - time * along_v.y, from.z - time * along_v.z};
      };
      const Point next = back(place, velocity(back(place, v, 0.5 * length)), length);
      if (outside(next)) {
        out[n] = through_boundary(next, place, y, at);
        found = true;
        break;
      }
      // Shores let nothing through; a path that would leads along them as far as it gets.
      std::array<Index, 3> cell{0, 0, 0};
      for (int a = 0; a < grid_.dimension(); ++a) cell[a] = along(a, next[grid_.direction(a)]);
      if (!balance_.outline().active(grid_.number(cell[0], cell[1], cell[2]))) break;
      place = next;
    }
    if (!found) out[n] = value(place, y);
  }
  // What stepped with it next may use its room again.
  advection_.reset();
}

}  // namespace williwaw
