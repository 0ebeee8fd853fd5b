#include "terms/advection/semi_lagrangian.hpp"

#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"

namespace williwaw {

namespace {
// Pieces of a path; advection that passes more cells in a step than this is not followed any better.
constexpr int most_pieces = 64;
}  // namespace

SemiLagrangian::SemiLagrangian(ProblemBalance& balance, LineId line)
    : balance_(balance),
      grid_(balance.grid()),
      line_(line),
      outline_whole_(balance.outline().whole()),
      stencils_(grid_) {
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
  for (int a = 0; a < grid_.dimension(); ++a) lines_.emplace_back(grid_.axis(a), grid_.direction(a));
  steady_ = !e.advection->velocity.depends_on_time();
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

SemiLagrangian::Line::Line(const Axis& of_grid, int direction_of_axis)
    : axis(of_grid),
      direction(direction_of_axis),
      size(axis.size()),
      periodic(axis.periodic()),
      from(axis.from()),
      to(axis.to()),
      spacing(axis.is_uniform() && axis.unknowns() == Unknowns::cells ? axis.widths()[0] : 0),
      points(axis.points()),
      bounds(axis.bounds()),
      widths(axis.widths()),
      gaps(axis.gaps()) {}

// The control volume that holds a position within the axis; the nearest for one outside.
Index SemiLagrangian::Line::containing(Real at) const {
  if (spacing > 0)
    return std::clamp<Index>(static_cast<Index>(std::floor((at - from) / spacing)), 0, size - 1);
  return std::clamp<Index>(std::ranges::upper_bound(bounds, at) - bounds.begin() - 1, 0, size - 1);
}

Index SemiLagrangian::along(int axis, Real position) const {
  const Line& line = lines_[static_cast<std::size_t>(axis)];
  return line.containing(line.axis.wrap(position));
}

bool SemiLagrangian::outside(const Point& place) const {
  return std::ranges::any_of(lines_, [&](const Line& line) {
    const Real s = place[line.direction];
    return !line.periodic && (s < line.from || s > line.to);
  });
}

// Each component is linear between its own faces, and between the middles of control volumes across.
template <int dimension>
Point SemiLagrangian::velocity_in(const Point& place) const {
  // Of each axis: the control volume, its neighbour on the nearer side, and the fractions of the face after
  // it and of that neighbour.
  std::array<Index, dimension> cell, beside;
  std::array<Real, dimension> own, across;
  for (int b = 0; b < dimension; ++b) {
    const Line& line = lines_[b];
    const Real s = line.axis.wrap(place[line.direction]);
    const Index i = line.containing(s);
    const bool up = s > line.points[i];
    const Real gap = line.gaps[up ? i + 1 : i];
    Index other = i + (up ? 1 : -1);
    if (other < 0 || other >= line.size) other = !line.periodic ? i : up ? 0 : line.size - 1;
    cell[b] = i;
    beside[b] = other;
    own[b] = std::clamp((s - line.bounds[i]) / line.widths[i], 0.0, 1.0);
    across[b] = other == i || !(gap > 0) ? 0 : std::clamp(std::abs(s - line.points[i]) / gap, 0.0, 1.0);
  }
  Point result;
  for (int a = 0; a < dimension; ++a) {
    Real sum = 0;
    for (int corner = 0; corner < (1 << dimension); ++corner) {
      Real weight = 1;
      std::array<Index, 3> n{0, 0, 0};
      for (int b = 0; b < dimension; ++b) {
        const bool second = (corner >> b) & 1;
        const Real fraction = b == a ? own[b] : across[b];
        weight *= second ? fraction : 1 - fraction;
        n[b] = !second ? cell[b] : b == a ? cell[b] + 1 : beside[b];
      }
      const Rows& rows = rows_[a];
      sum += weight * rows.first[n[0] + rows.row * n[1] + rows.sheet * n[2]];
    }
    result[lines_[a].direction] = sum / storage_;
  }
  return result;
}

Point SemiLagrangian::velocity(const Point& place) const {
  return grid_.dimension() == 1   ? velocity_in<1>(place)
         : grid_.dimension() == 2 ? velocity_in<2>(place)
                                  : velocity_in<3>(place);
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
  for (std::size_t k = 0; k < (grid_.dimension() > 2 ? 4U : 1U); ++k)
    for (std::size_t j = 0; j < (grid_.dimension() > 1 ? 4U : 1U); ++j)
      for (std::size_t i = 0; i < 4; ++i) {
        const std::size_t row = grid_.dimension() > 1 ? j : 1, sheet = grid_.dimension() > 2 ? k : 1;
        const Real w = weight[0][i] * weight[1][row] * weight[2][sheet];
        const bool close = near[0][i] && near[1][row] && near[2][sheet];
        if (w == 0 && !close) continue;
        const Index n = grid_.number(at[0][i], at[1][row], at[2][sheet]);
        if (!outline_whole_ && !balance_.outline().active(n)) {
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

// Back from unknown n in so many pieces.
SemiLagrangian::Departure SemiLagrangian::follow(Index n, int pieces, Real length) const {
  const auto back = [](const Point& from, const Point& along_v, Real time) {
    return Point{from.x - time * along_v.x, from.y - time * along_v.y, from.z - time * along_v.z};
  };
  Departure result{n, grid_.point_of(n), {}, false};
  for (int p = 0; p < pieces; ++p) {
    const Point v = velocity(result.place);
    const Point next = back(result.place, velocity(back(result.place, v, 0.5 * length)), length);
    if (outside(next)) {
      result.beyond = next;
      result.through_boundary = true;
      return result;
    }
    // Shores let nothing through; a path that would leads along them as far as it gets.
    if (!outline_whole_) {
      std::array<Index, 3> cell{0, 0, 0};
      for (int a = 0; a < grid_.dimension(); ++a) cell[a] = along(a, next[grid_.direction(a)]);
      if (!balance_.outline().active(grid_.number(cell[0], cell[1], cell[2]))) break;
    }
    result.place = next;
  }
  return result;
}

// False where unknowns that its value needs are not all there.
bool SemiLagrangian::place_stencil(const Departure& departure) {
  if (departure.through_boundary) return false;
  std::array<Index, 3> first{0, 0, 0};
  std::array<Real, 3> position{};
  for (int a = 0; a < grid_.dimension(); ++a) {
    const Line& line = lines_[static_cast<std::size_t>(a)];
    position[a] = line.axis.wrap(departure.place[line.direction]);
    first[a] = stencils_.first_of_four(a, line.containing(position[a]), position[a]);
    if (first[a] < 0) return false;
  }
  if (!outline_whole_)
    for (Index k = 0; k < (grid_.dimension() > 2 ? 4 : 1); ++k)
      for (Index j = 0; j < (grid_.dimension() > 1 ? 4 : 1); ++j)
        for (Index i = 0; i < 4; ++i)
          if (!balance_.outline().active(grid_.number(first[0] + i, first[1] + j, first[2] + k)))
            return false;
  stencils_.place(departure.unknown, first, position);
  return true;
}

void SemiLagrangian::find_departures(Real step) {
  const FaceVelocities& v = advection_->velocities();
  for (int a = 0; a < grid_.dimension(); ++a) {
    const Real* const first = v.row(a, 0, 0);
    rows_[a] = {first, v.row(a, 1, 0) - first, v.row(a, 0, 1) - first};
  }
  // Where shores may be met every cell on the way is looked at; elsewhere a path is as straight as the flow
  // is even.
  const Real bends = outline_whole_ ? 4 * shear() : v.fastest();
  const int pieces = std::clamp(static_cast<int>(std::ceil(bends * step / storage_)), 1, most_pieces);
  const Index nx = grid_.size(0);
  const bool by_stencils = stencils_.usable();
  if (by_stencils && !stencils_.has_room()) stencils_.make_room();
  apart_.resize(static_cast<std::size_t>(grid_.lines()));
  each_line(balance_.domain(), [&](std::size_t, Index line, Index, Index) {
    auto& apart = apart_[static_cast<std::size_t>(line)];
    apart.clear();
    for (Index n = nx * line; n < nx * (line + 1); ++n) {
      if (balance_.outline().active(n)) {
        const Departure departure = follow(n, pieces, step / pieces);
        if (by_stencils && place_stencil(departure)) continue;
        apart.push_back(departure);
      }
      if (by_stencils) stencils_.leave(n);
    }
  });
  found_for_ = step;
}

void SemiLagrangian::advect(const State& y, Real at, Real step, State& out) {
  // The velocity of half-way serves the whole step.
  advection_ = balance_.advection(at + 0.5 * step, y);
  if (!steady_ || found_for_ != step) find_departures(step);
  const Index nx = grid_.size(0);
  each_line(balance_.domain(), [&](std::size_t, Index line, Index, Index) {
    if (stencils_.usable()) stencils_.read(line, y.data(), out.data() + nx * line);
    for (const Departure& d : apart_[static_cast<std::size_t>(line)])
      out[d.unknown] = d.through_boundary ? through_boundary(d.beyond, d.place, y, at) : value(d.place, y);
    if (outline_whole_) return;
    for (Index n = nx * line; n < nx * (line + 1); ++n)
      if (!balance_.outline().active(n)) out[n] = 0;
  });
  // What stepped with it next may use its room again.
  advection_.reset();
}

}  // namespace williwaw
