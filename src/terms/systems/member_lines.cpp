#include "terms/systems/member_lines.hpp"

#include <algorithm>

namespace williwaw {

BeyondSide beyond_side(const Evaluation& now, const SystemMember& member, Side side, Index inside, Real u) {
  BeyondSide result{u, false, false};
  const Index nx = member.of.domain->grid().size(0);
  each_open_face(*member.closures, inside / nx, inside, side, [&](std::size_t c, Index f) {
    const EvaluatedBoundaryClosure& boundary = now.of(member.conditions)[c];
    result.open = true;
    result.holds = boundary.section().boundary.holds();
    result.value = result.holds ? boundary.boundary_value(f, u) : u;
  });
  return result;
}

RowsOfMember rows_of_member(Index nx) {
  RowsOfMember result;
  for (auto& row : result) row.resize(static_cast<std::size_t>(nx) + 7);
  return result;
}

namespace {

// Unknowns beside a side: `inside` is the one next to it, `inwards` the way to the next one.
struct BesideSide {
  const Axis& along;
  const Real* u;
  Index inside, inwards;

  // Number m beyond the side, counted from 0.
  Real beyond(const BeyondSide& there, Index m) const {
    const auto at = [&](Index n) { return u[inside + std::min(n, along.size() - 1) * inwards]; };
    if (!there.open) return at(0);
    // Nodes on a side are its values themselves.
    if (along.unknowns() == Unknowns::nodes) return 2 * at(0) - at(m + 1);
    return there.holds ? 2 * there.value - at(m) : at(0) + static_cast<Real>(m + 1) * (at(0) - at(1));
  }
};

}  // namespace

Rows fill_rows(const Line& line, const SystemMember& member, int axis, Index j, Index k, RowsOfMember& own) {
  Rows rows{};
  const Grid& g = member.of.domain->grid();
  const Axis& along = g.axis(axis);
  const Index nx = g.size(0), size = along.size();
  const Real* u = line.y + member.of.first;
  if (axis == 0) {
    const Index first = g.number(0, j, k);
    Real* padded = own[0].data();
    for (Index i = -3; i < size + 3; ++i) {
      const Index inside = along.periodic() ? (i % size + size) % size : std::clamp<Index>(i, 0, size - 1);
      padded[i + 3] = u[first + inside];
    }
    for (const bool upper : {false, true}) {
      if (along.periodic()) continue;
      const Index n = first + (upper ? size - 1 : 0);
      const BeyondSide there = beyond_side(line.now, member, {0, upper}, n, u[n]);
      const BesideSide beside{along, u, n, upper ? -1 : 1};
      for (Index m = 0; m < 3; ++m) padded[upper ? size + 3 + m : 2 - m] = beside.beyond(there, m);
    }
    for (std::size_t m = 0; m < 6; ++m) rows[m] = padded + m;
    return rows;
  }
  const Index face = axis == 1 ? j : k;
  const auto row_at = [&](Index row) { return axis == 1 ? g.number(0, row, k) : g.number(0, j, row); };
  for (Index m = 0; m < 6; ++m) {
    Index row = face - 3 + m;
    if (along.periodic()) row = (row % size + size) % size;
    const auto place = static_cast<std::size_t>(m);
    if (row >= 0 && row < size) {
      rows[place] = u + row_at(row);
      continue;
    }
    const bool upper = row >= size;
    const Index inside = row_at(upper ? size - 1 : 0);
    for (Index i = 0; i < nx; ++i) {
      const BeyondSide there = beyond_side(line.now, member, {axis, upper}, inside + i, u[inside + i]);
      const BesideSide beside{along, u, inside + i, upper ? -g.stride(axis) : g.stride(axis)};
      own[place][i] = beside.beyond(there, upper ? row - size : -1 - row);
    }
    rows[place] = own[place].data();
  }
  return rows;
}

void settle_sides(const Line& line, const SystemMember& member, int axis, Index j, Index k, Real* left,
                  Real* right) {
  const Grid& g = member.of.domain->grid();
  const bool nodes = g.axis(axis).unknowns() == Unknowns::nodes;
  const Real* const u = line.y + member.of.first;
  each_face_on_side(g, axis, j, k, [&](Side side, Index n, Index at) {
    Real &inner = side.upper ? left[at] : right[at], &outer = side.upper ? right[at] : left[at];
    const BeyondSide there = beyond_side(line.now, member, side, n, u[n]);
    if (nodes) {
      inner = outer = u[n];
    } else if (there.holds) {
      outer = there.value;
      inner = std::clamp(inner, std::min(u[n], there.value), std::max(u[n], there.value));
    } else {
      outer = inner;
    }
  });
}

void book_through_side(const Line& line, const SystemMember& member, std::size_t number, Index i, Side side,
                       Real inflow, const std::optional<WantedFlows>& wanted) {
  const Domain& domain = *member.of.domain;
  const Index n = domain.grid().number(i, line.j, line.k), leaf = domain.segments().number(line.number, i);
  const auto& all = member.closures->all();
  Real open = 0;
  each_open_face(*member.closures, line.number, n, side,
                 [&](std::size_t c, Index f) { open += all[c].area(f); });
  each_open_face(*member.closures, line.number, n, side, [&](std::size_t c, Index f) {
    if (wanted) {
      if (wanted->member == number && wanted->section == c)
        wanted->flows[static_cast<std::size_t>(f)] += inflow * all[c].area(f) / open;
      return;
    }
    line.booked[all[c].line(all[c].advective_condition())].leaf(leaf) += inflow * all[c].area(f) / open;
  });
}

void add_flows_of_faces(const Line& line, const SystemMember& member, std::size_t number, int axis,
                        const FluxesOfFaces& faces, const LineRates& own,
                        const std::optional<WantedFlows>& wanted) {
  const Grid& g = member.of.domain->grid();
  const Index here = g.number(0, line.j, line.k);
  const bool ends = !g.axis(axis).periodic();
  for (Index i = 0; i < g.size(0); ++i) {
    const Real area = faces.areas[static_cast<std::size_t>(i)];
    own.add(i, -area * (faces.high[i] - faces.low[i]));
    const Index at = axis == 0 ? i : axis == 1 ? line.j : line.k;
    const bool first_face = ends && at == 0, last_face = ends && at + 1 == g.size(axis);
    if (faces.divergence) {
      const auto velocity = [&](bool boundary, bool upper, Real of_face) {
        return boundary && !beyond_side(line.now, member, {axis, upper}, here + i, 0).open ? 0 : of_face;
      };
      const Real given_back = area * line.y[member.of.first + here + i] *
                              (velocity(last_face, true, faces.high_velocity[i]) -
                               velocity(first_face, false, faces.low_velocity[i]));
      own.add(i, given_back);
      if (!wanted)
        line.booked[*faces.divergence].leaf(member.of.domain->segments().number(line.number, i)) +=
            given_back;
    }
    if (first_face) book_through_side(line, member, number, i, {axis, false}, area * faces.low[i], wanted);
    if (last_face) book_through_side(line, member, number, i, {axis, true}, -area * faces.high[i], wanted);
  }
}

Real area_across(const Grid& g, int axis, Index n) {
  return g.volume_of(n) / g.axis(axis).measures()[g.position(n)[static_cast<std::size_t>(axis)]];
}

void add_upwind(const Grid& g, int axis, Index n, Real below, Real above, Real b, bool advective,
                FaceSystem& matrix) {
  const Real area = b * area_across(g, axis, n);
  const auto a = static_cast<std::size_t>(axis), at = static_cast<std::size_t>(n);
  matrix.diagonal[at] += area * (std::max(above, 0.0) - std::min(below, 0.0));
  if (advective) matrix.diagonal[at] -= area * (above - below);
  if (g.neighbour(n, axis, true) >= 0) matrix.upper[a][at] += area * std::min(above, 0.0);
  if (g.neighbour(n, axis, false) >= 0) matrix.lower[a][at] -= area * std::max(below, 0.0);
}

std::array<std::array<std::vector<Real>, 5>, 3> distances_for_flux(const SystemMember& member,
                                                                   const ReconstructionKind& kind) {
  if (!member.of.domain->outline().whole())
    throw InputError(Subject::grid, "a system with a flux needs a whole rectangle");
  std::array<std::array<std::vector<Real>, 5>, 3> result;
  const Grid& g = member.of.domain->grid();
  for (int a = 0; a < g.dimension(); ++a) {
    const Axis& axis = g.axis(a);
    if (axis.coordinates() != Coordinates::cartesian)
      throw InputError(Subject::grid, "a system with a flux needs axes x, y and z");
    if (axis.is_uniform()) continue;
    if (!kind.slope)
      throw InputError(
          Subject::reconstruction,
          "reconstruction '" + kind.name + "' needs uniform axes; take a limited one, van-leer for example");
    result[static_cast<std::size_t>(a)] = distances_of_faces(axis);
  }
  return result;
}

void fill_areas(const Grid& g, const Line& line, int axis, std::span<Real> areas) {
  const Index nx = g.size(0);
  // Of the first control volume along the axis: all of them are alike.
  const Index first = axis == 0   ? g.number(0, line.j, line.k)
                      : axis == 1 ? g.number(0, 0, line.k)
                                  : g.number(0, line.j, 0);
  const Real measure = g.axis(axis).measures()[0];
  for (Index i = 0; i < nx; ++i)
    areas[static_cast<std::size_t>(i)] = axis == 0 && i > 0 ? areas[0] : g.volume_of(first + i) / measure;
}

}  // namespace williwaw
