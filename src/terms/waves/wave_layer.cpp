#include "terms/waves/wave_layer.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "domain/lines.hpp"

namespace williwaw {

namespace {
// What a layer would send back of a wave that meets it head on, but for the grid: less lets the grid reflect
// more at the layer's steeper rise.
constexpr Real left_over = 1e-5;
}  // namespace

WaveLayer::WaveLayer(const ProblemTerms& parts, const Conductances& conductances) {
  for (auto& of_axis : owner_) of_axis = {-1, -1};
  find_depths(parts);
  if (std::ranges::all_of(owner_, [](const auto& o) { return o[0] < 0 && o[1] < 0; })) return;
  find_faces(parts, conductances);
}

// ζ at the unknowns and at the faces between them, axis by axis.
void WaveLayer::find_depths(const ProblemTerms& parts) {
  const Grid& g = parts.grid();
  for (int a = 0; a < g.dimension(); ++a) {
    at_points_[a].assign(static_cast<std::size_t>(g.size(a)), 0.0);
    at_bounds_[a].assign(static_cast<std::size_t>(g.size(a)) + 1, 0.0);
  }
  const Equation& e = parts.problem->equation();
  for (std::size_t c = 0; c < parts.boundary->all().size(); ++c) {
    const BoundarySection& section = parts.boundary->all()[c].section();
    int layer = 0;
    for (const auto& condition : section.boundary.conditions())
      if (const Absorption* out = condition->absorption()) layer = std::max(layer, out->layer);
    if (layer == 0) continue;
    const auto side = g.side(section.side);
    if (!side || section.name != section.side)
      throw InputError(
          Subject::boundary,
          "'" + section.name +
              "': an absorbing layer belongs to a whole side of the grid; a part or a cut-out takes "
              "\"absorbing\"");
    // A box may have any part of the layer, or none.
    const Axis& axis = g.axis(side->axis).whole();
    const Axis& here = g.axis(side->axis);
    if (layer > axis.intervals() / 2)
      throw InputError(
          Subject::boundary,
          "'" + section.name + "': the layer is thicker than half of the domain along " + axis.name());
    owner_[side->axis][side->upper ? 1 : 0] = static_cast<std::ptrdiff_t>(c);
    const auto faces = axis.faces();
    const Real boundary = side->upper ? axis.to() : axis.from();
    const Real inner = faces[static_cast<std::size_t>(side->upper ? axis.intervals() - layer : layer)];
    BoxSum<Real> speeds(*parts.of.domain), areas(*parts.of.domain);
    for (const BoundaryFace& face : section.faces) {
      const Real k = e.diffusion.coefficient[g.direction(side->axis)](face.place), s = e.storage(face.place);
      speeds.leaf(face.unknown) += face.area * std::sqrt(k / s);
      areas.leaf(face.unknown) += face.area;
    }
    const Real speed = speeds.sum(), area = areas.sum();
    const Real depth = std::abs(boundary - inner),
               most = 1.5 * (speed / area) / depth * std::log(1 / left_over);
    const auto zeta = [&](Real at) {
      const Real into = (side->upper ? at - inner : inner - at) / depth;
      return into > 0 ? most * into * into : 0;
    };
    for (Index i = 0; i < here.size(); ++i) at_points_[side->axis][i] += zeta(here.points()[i]);
    for (Index i = 0; i <= here.size(); ++i) {
      // Faces lie half-way between unknowns, where nodes' control volumes end too.
      const Real at = here.bounds()[i];
      at_bounds_[side->axis][i] += zeta(at);
    }
  }
}

void WaveLayer::find_faces(const ProblemTerms& parts, const Conductances& c) {
  const Grid& g = parts.grid();
  std::map<Index, std::ptrdiff_t> number;
  const auto touch = [&](Index n) { number.emplace(n, 0); };
  const auto zeta_at = [&](Index n, int axis) {
    return axis < g.dimension() ? at_points_[axis][g.position(n)[axis]] : 0.0;
  };
  for (Index n = 0; n < g.count(); ++n) {
    if (!parts.outline().active(n)) continue;
    const auto at = g.position(n);
    Real any = 0;
    for (int a = 0; a < g.dimension(); ++a) any += zeta_at(n, a);
    if (any > 0) touch(n);
    for (int a = 0; a < g.dimension(); ++a) {
      const Real conductance = c.conductance(n, a, true);
      if (conductance == 0) continue;
      Index stride = 1;
      for (int b = 0; b < a; ++b) stride *= g.size(b);
      const Index above = at[a] + 1 < g.size(a) ? n + stride : n - stride * (g.size(a) - 1);
      const int b = (a + 1) % 3, d = (a + 2) % 3;
      Face face;
      face.below = n;
      face.above = above;
      face.conductance = conductance;
      face.own = at_bounds_[a][at[a] + 1];
      const Real first = zeta_at(n, b), second = zeta_at(n, d);
      face.other = first + second - face.own;
      face.both = first * second;
      if (face.own == 0 && first == 0 && second == 0) continue;
      faces_.push_back(face);
      touch(n);
      touch(above);
    }
  }
  for (auto& [n, place] : number) {
    place = static_cast<std::ptrdiff_t>(places_.size());
    const Real x = zeta_at(n, 0), y = zeta_at(n, 1), z = zeta_at(n, 2), capacity = c.capacity(n);
    Place p{n, capacity * (x + y + z), 0, {x, y, z}};
    // The deepest layer it lies in, or the one it lies before.
    const auto at = g.position(n);
    Real deepest = -1;
    for (int a = 0; a < g.dimension(); ++a)
      for (const int up : {0, 1})
        if (owner_[a][up] >= 0) {
          const Axis& along = g.axis(a);
          const bool beyond_middle = 2 * (along.first() + at[a]) >= along.whole().size();
          const Real here = (up == 1) == beyond_middle ? p.zeta[a] : -0.5;
          if (here > deepest) {
            deepest = here;
            p.closure = static_cast<std::size_t>(owner_[a][up]);
          }
        }
    places_.push_back(p);
    elastic_.push_back(capacity * (x * y + y * z + z * x));
    triple_.push_back(capacity * x * y * z);
  }
  for (Face& face : faces_) {
    face.place_below = number.at(face.below);
    face.place_above = number.at(face.above);
  }
  start();
}

void WaveLayer::start() {
  memory_.assign(places_.size(), 0.0);
  for (Face& face : faces_) face.flow = 0;
}

void WaveLayer::forces(const State& u, std::vector<Real>& out) const {
  out.resize(places_.size());
  for (std::size_t p = 0; p < places_.size(); ++p)
    out[p] = -elastic_[p] * u[places_[p].unknown] - triple_[p] * memory_[p];
  for (const Face& face : faces_) {
    out[face.place_below] += face.flow;
    out[face.place_above] -= face.flow;
  }
}

// Both ends of the step weigh the same.
void WaveLayer::go_on(const State& before, const State& after, Real step) {
  std::vector<Real> old;
  const bool threefold = std::ranges::any_of(faces_, [](const Face& f) { return f.both != 0; });
  if (threefold) {
    old = memory_;
    for (std::size_t p = 0; p < places_.size(); ++p)
      memory_[p] += 0.5 * step * (before[places_[p].unknown] + after[places_[p].unknown]);
  }
  for (Face& face : faces_) {
    const Real slope =
        0.5 * (before[face.above] - before[face.below] + after[face.above] - after[face.below]);
    Real push = face.other * slope;
    if (threefold)
      push += face.both * 0.5 *
              (memory_[face.place_above] - memory_[face.place_below] + old[face.place_above] -
               old[face.place_below]);
    const Real half = 0.5 * step * face.own;
    face.flow = ((1 - half) * face.flow + step * face.conductance * push) / (1 + half);
  }
}

std::size_t WaveLayer::size() const {
  return memory_.size() + faces_.size();
}

std::vector<Real> WaveLayer::remember() const {
  std::vector<Real> result = memory_;
  for (const Face& face : faces_) result.push_back(face.flow);
  return result;
}

std::pair<std::vector<Index>, std::vector<Index>> WaveLayer::unknowns() const {
  std::pair<std::vector<Index>, std::vector<Index>> result;
  for (const Place& place : places_) result.first.push_back(place.unknown);
  for (const Face& face : faces_) result.second.push_back(face.below);
  return result;
}

void WaveLayer::recall(std::span<const Real> numbers) {
  std::copy_n(numbers.begin(), memory_.size(), memory_.begin());
  for (std::size_t f = 0; f < faces_.size(); ++f) faces_[f].flow = numbers[memory_.size() + f];
}

}  // namespace williwaw
