// What is read from a diffusion balance rather than stepped: its matrix, axis operators, stencil and fields.
#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "diffusion_sweep.hpp"
#include "williwaw/space/transport.hpp"

namespace williwaw {

void DiffusionBalance::linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) {
  const State zero(y.empty() && initial_.empty() ? static_cast<std::size_t>(grid().count()) : 0, 0.0);
  const State& about = !y.empty() ? y : initial_.empty() ? zero : initial_;
  prepare(at, about);
  FaceSystem matrix;
  const Grid& g = grid();
  const auto count = static_cast<std::size_t>(g.count());
  matrix.extent = {g.size(0), g.size(1), g.size(2)};
  matrix.diagonal.resize(count);
  each_capacity([&](Index n, Real capacity) { matrix.diagonal[n] = a * capacity; });
  for (int axis = 0; axis < g.rank(); ++axis) {
    matrix.periodic[axis] = g.axis(axis).periodic();
    for (auto* side : {&matrix.lower[axis], &matrix.upper[axis]}) side->assign(count, 0.0);
    if (parts.has(Parts::flux(axis))) join(matrix, axis, b);
  }
  for (const auto& wall : closures_)
    for (Index f = 0; f < wall.faces(); ++f)
      if (parts.has(Parts::flux(wall.face(f).axis))) matrix.diagonal[wall.unknown(f)] += b * wall.pull(f);
  if (transport_ && parts.has(Parts::stream())) transport_->linearise(about, b, matrix);
  if (problem_.equation().reaction && parts.has(Parts::source())) {
    std::vector<Real> slope;
    reaction_slope(about, at, slope);
    for (Index n = 0; n < g.count(); ++n) matrix.diagonal[n] -= b * slope[n] * couplings_.volume(n);
  }
  if (!held_.empty() || !absent_.empty()) {
    matrix.held.assign(count, 0);
    for (const Index n : held_) matrix.held[n] = 1;
    for (const Index n : absent_) matrix.held[n] = 1;
    matrix.apply_mask();
  }
  system = std::move(matrix);
}

// Couplings along one axis, line by line: coefficients −b·conductance, their sum on the diagonal.
void DiffusionBalance::join(FaceSystem& matrix, int axis, Real b) const {
  const Index nx = grid().size(0), ny = grid().size(1);
  const bool separable = couplings_.separable();
  const Real* before = separable ? couplings_.before(axis).data() : nullptr;
  const Real* after = separable ? couplings_.after(axis).data() : nullptr;
  each_line([&](Index, Index line, Index j, Index k) {
    const Real volume = separable ? couplings_.conductivity(axis) * across_line(j, k) : 0;
    const Real* measures = grid().axis(0).measures().data();
    const std::array<Index, 3> at{0, j, k};
    // Across lines the faces above stand a line or a plane further on.
    const Index step = axis == 0 ? 1 : axis == 1 ? nx : nx * ny;
    const Real* faces = separable ? nullptr : couplings_.faces(axis).data() + couplings_.face(axis, 0, j, k);
    for (Index i = 0; i < nx; ++i) {
      const Index n = nx * line + i, along = axis == 0 ? i : at[axis];
      const Real low = separable ? volume * measures[i] * before[along] : faces[i];
      const Real high = separable ? volume * measures[i] * after[along] : faces[i + step];
      matrix.lower[axis][n] = -b * low;
      matrix.upper[axis][n] = -b * high;
      matrix.diagonal[n] += b * (low + high);
    }
  });
}

std::optional<std::vector<AxisOperator>> DiffusionBalance::axis_operators(Real at) {
  prepare(at);
  if (!couplings_.separable() || problem_.equation().reaction || transport_) return std::nullopt;
  std::vector<AxisOperator> result;
  for (int a = 0; a < grid().rank(); ++a) {
    const Axis& axis = grid().axis(a);
    const auto widths = axis.measures();
    const Real k = couplings_.conductivity(a), storage = couplings_.storage();
    Index first = 0, end = axis.size();
    AxisOperator op;
    for (Index i = 0; i < axis.size(); ++i)
      op.diagonal.push_back(k * (couplings_.before(a)[i] + couplings_.after(a)[i]) / storage);
    for (Index i = 1; i < axis.size(); ++i)
      op.off_diagonal.push_back(-k /
                                (axis.resistances()[i] * storage * std::sqrt(widths[i] * widths[i - 1])));
    if (axis.periodic())
      op.corner = -k / (axis.resistances().front() * storage * std::sqrt(widths.front() * widths.back()));
    for (const auto& wall : closures_) {
      if (wall.faces() == 0 || wall.face(0).axis != a) continue;
      const bool upper = wall.face(0).upper;
      if (wall.faces() != static_cast<Index>(grid().unknowns_at({a, upper}).size()))
        return std::nullopt;  // a part of it
      if (wall.pins()) {
        (upper ? end : first) += upper ? -1 : 1;
        continue;
      }
      const Real pull = wall.pull(0) / wall.area(0);
      for (Index f = 1; f < wall.faces(); ++f)
        if (std::abs(wall.pull(f) / wall.area(f) - pull) > 1e-12 * std::abs(pull)) return std::nullopt;
      const Index edge = upper ? axis.size() - 1 : 0;
      op.diagonal[edge] += pull * axis.area(upper ? axis.to() : axis.from()) / (storage * widths[edge]);
    }
    if (end <= first) return std::nullopt;  // nothing is free along this axis
    op.diagonal = {op.diagonal.begin() + first, op.diagonal.begin() + end};
    if (end - first > 1)
      op.off_diagonal = {op.off_diagonal.begin() + first, op.off_diagonal.begin() + end - 1};
    else
      op.off_diagonal.clear();
    result.push_back(std::move(op));
  }
  return result;
}

bool DiffusionBalance::holds_means() const {
  return transport_ && grid().unknowns() == Unknowns::cells && grid().rank() == 1 &&
         transport_->reconstruction().order > 2;
}

State DiffusionBalance::values_of(const Function& function, Real at) const {
  const Grid& g = grid();
  const Index nx = g.size(0);
  State y(static_cast<std::size_t>(layout_.size()));
  Points line(nx);
  if (holds_means()) {
    const auto points = g.axis(0).points(), widths = g.axis(0).widths();
    constexpr Real places[] = {-0.7745966692414834, 0, 0.7745966692414834},
                   weights[] = {5.0 / 18, 8.0 / 18, 5.0 / 18};
    State part(y.size());
    for (std::size_t q = 0; q < 3; ++q) {
      for (Index i = 0; i < nx; ++i) {
        Point p;
        p[g.slot(0)] = points[i] + 0.5 * places[q] * widths[i];
        line.set(i, p);
      }
      function.evaluate(line, at, part);
      for (std::size_t n = 0; n < y.size(); ++n) y[n] += weights[q] * part[n];
    }
    return y;
  }
  for (Index k = 0; k < g.size(2); ++k)
    for (Index j = 0; j < g.size(1); ++j) {
      for (Index i = 0; i < nx; ++i) line.set(i, g.point(i, j, k));
      function.evaluate(line, at, {y.data() + g.number(0, j, k), static_cast<std::size_t>(nx)});
    }
  return y;
}

State DiffusionBalance::initial_state() const {
  State y = values_of(problem_.initial);
  couplings_.average_by_region(problem_.initial, 0, y);
  for (const Index n : absent_) y[n] = 0;
  for (const Real v : y)
    if (!std::isfinite(v)) throw InputError("the initial value is not a finite number everywhere");
  return y;
}

Field DiffusionBalance::field(const State& y, Real at) {
  prepare(at, y);
  held_values(at);
  const Grid& g = grid();
  Field result(g, y);
  result.leave_out(absent_);
  if (g.unknowns() == Unknowns::nodes) return result;
  // A face that parts share shows the mean of what they say, by area.
  std::map<std::pair<Index, int>, std::pair<Real, Real>> on_walls;
  for (const auto& wall : closures_)
    for (Index f = 0; f < wall.faces(); ++f) {
      const WallFace& face = wall.face(f);
      if (!face.on_side) continue;
      auto& [sum, area] = on_walls[{face.unknown, Side{face.axis, face.upper}.number()}];
      sum += face.area * wall.wall_value(f, y[face.unknown]);
      area += face.area;
    }
  for (const auto& [where, value] : on_walls) {
    auto place = g.position(where.first);
    place[where.second / 2] += where.second % 2 ? 1 : -1;
    result.at(place[0], place[1], place[2]) = 2 * value.first / value.second - y[where.first];
  }
  result.extend_corners();
  result.set_knows_beyond(true);
  return result;
}

Real DiffusionBalance::wall_flux(Side side, const State& y, Real at) {
  const Closure* wall = closure(side, at);
  if (!wall) throw InputError("a periodic side has no wall, and so no flux through it");
  if (wall->pins())
    throw InputError("what flows through a wall that holds its nodes is known for a step only");
  prepare(at, y);
  Real flow = 0;
  const std::size_t c = static_cast<std::size_t>(wall - closures_.data());
  for (Index f = 0; f < wall->faces(); ++f)
    flow += wall->inflow(f) - wall->pull(f) * y[wall->unknown(f)] +
            (transport_ && transport_->open(c) ? transport_->through(c, f) : 0);
  return flow / wall->section().area();
}

std::vector<Real> DiffusionBalance::section_flows(std::size_t section, const State& y, Real at) {
  State lacking(y.size());
  Ledger ignored(lines_.size());
  const Closure& wall = closures_[section];
  if (wall.pins())
    rate(y, at, Parts::all(), lacking, ignored);
  else
    prepare(at, y);
  std::map<Index, Real> held_area;
  for (const auto& other : closures_)
    for (Index f = 0; f < other.faces(); ++f)
      if (other.pins(f)) held_area[other.unknown(f)] += other.area(f);
  std::vector<Real> result;
  for (Index f = 0; f < wall.faces(); ++f) {
    const Index n = wall.unknown(f);
    const Real carried = transport_ && transport_->open(section) ? transport_->through(section, f) : 0;
    result.push_back(wall.pins(f) ? -lacking[n] * wall.area(f) / held_area[n]
                                  : wall.inflow(f) - wall.pull(f) * y[n] + carried);
  }
  return result;
}

const Closure* DiffusionBalance::closure(Side side, Real at) {
  prepare(at);
  held_values(at);
  const auto found =
      std::ranges::find(closures_, grid().side_name(side),
                        [](const Closure& c) -> const std::string& { return c.section().name; });
  return found == closures_.end() ? nullptr : &*found;
}

const Couplings& DiffusionBalance::couplings(Real at) {
  prepare(at);
  return couplings_;
}

// At first order: what the stream takes from a neighbour stands beside what diffuses from it, and what it
// carries of the unknown itself, net, is left over.
void DiffusionBalance::stream_into(Stencil& stencil, Real at) {
  const State y = initial_state();
  prepare(at, y);
  for (auto& neighbour : stencil.neighbours) {
    const Side side = *grid().side(neighbour.towards);
    const Index below = side.upper ? stencil.number : neighbour.number;
    const auto [first, second] =
        transport_->weights(y, side.axis, below, side.upper ? neighbour.number : stencil.number);
    neighbour.conductance += side.upper ? -second : first;
    stencil.stretching += side.upper ? first + second : -(first + second);
  }
  if (transport_->stretches()) stencil.stretching -= transport_->stretching(stencil.number, 1);
  for (std::size_t c = 0; c < closures_.size(); ++c)
    for (Index f = 0; transport_->open(c) && f < closures_[c].faces(); ++f)
      if (closures_[c].unknown(f) == stencil.number && !closures_[c].pins(f))
        stencil.walls.push_back({closures_[c].section().name + ": stream", transport_->through(c, f), 0});
}

Stencil DiffusionBalance::stencil(Index number, Real at) {
  prepare(at);
  const Grid& g = grid();
  Stencil result;
  result.number = number;
  result.place = g.point_of(number);
  result.volume = couplings_.volume(number);
  result.capacity = couplings_.capacity(number);
  FaceSystem shape;
  shape.extent = {g.size(0), g.size(1), g.size(2)};
  for (int a = 0; a < g.rank(); ++a) {
    shape.periodic[a] = g.axis(a).periodic();
    for (const bool up : {false, true})
      if (const Index other = shape.neighbour(number, a, up); other >= 0 && outline_.active(other))
        result.neighbours.push_back({g.side_name({a, up}), other, couplings_.conductance(number, a, up)});
  }
  if (transport_) stream_into(result, at);
  for (const auto& wall : closures_)
    for (Index f = 0; f < wall.faces(); ++f)
      if (wall.unknown(f) == number && !wall.pins(f))
        for (std::size_t c = 0; c < wall.conditions(); ++c)
          result.walls.push_back(
              {wall.lines()[c].name, wall.flow_of(c, f, 0), wall.flow_of(c, f, 0) - wall.flow_of(c, f, 1)});
  result.source = source_.empty() ? source_density_ * result.volume : source_[number];
  for (const auto& point : points_)
    if (point.unknown == number) result.source += point.rate;
  if (!reaction_.empty()) result.reaction = reaction_[number];
  const auto found = std::ranges::lower_bound(held_, number);
  if (found != held_.end() && *found == number) {
    result.held = true;
    result.held_value = held_values(at)[found - held_.begin()];
  }
  return result;
}

}  // namespace williwaw
