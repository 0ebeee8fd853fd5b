#include "williwaw/space/couplings.hpp"

#include <cmath>
#include <limits>

namespace williwaw {

namespace {

using Pieces = std::vector<Axis::Piece>;

// Two-point Gauss rule on a stretch from a to b, each point standing for half of it.
void add_gauss(const Axis& axis, Real a, Real b, Pieces& out) {
  const Real middle = 0.5 * (a + b), reach = 0.5 * (b - a) / std::sqrt(3.0), half = 0.5 * (b - a);
  out.push_back({axis.wrap(middle - reach), half});
  out.push_back({axis.wrap(middle + reach), half});
}

// Where conductivity is sampled between the two unknowns that face `f` joins: either side of the face apart,
// since materials often meet there.
Pieces path_through(const Axis& axis, Index f) {
  Pieces result;
  const bool first = f == 0, last = f == axis.size();
  const Real face = axis.bounds()[f];
  if (!first || axis.periodic()) {
    const Real from = first ? axis.points().back() - axis.length() : axis.points()[f - 1];
    if (face > from) add_gauss(axis, from, face, result);
  }
  if (!last || axis.periodic()) {
    const Real to = last ? axis.points().front() + axis.length() : axis.points()[f];
    if (to > face) add_gauss(axis, face, to, result);
  }
  return result;
}

void check_positive(const Function& f, const char* what) {
  if (f.is_constant() && !(f(Point{}) > 0))
    throw InputError(std::string(what) + " must be above zero, but is " + to_text(f(Point{})));
}

}  // namespace

Couplings::Couplings(const Grid& grid, const Equation& equation) : grid_(grid), equation_(equation) {
  check_positive(equation_.storage, "what is stored (storage, density, heat capacity)");
  separable_ = !equation_.storage.depends_on_place();
  for (int a = 0; a < grid_.rank(); ++a) {
    const Function& k = equation_.diffusion.coefficient[grid_.slot(a)];
    check_positive(k, "the conductivity or diffusivity");
    separable_ = separable_ && !k.depends_on_place();
    on_time_ = on_time_ || k.depends_on_time();
  }
  if (separable_)
    place_lines();
  else
    evaluate_capacities();
}

void Couplings::place_lines() {
  storage_ = equation_.storage(Point{});
  for (int a = 0; a < grid_.rank(); ++a) {
    const Axis& axis = grid_.axis(a);
    const Index n = axis.size();
    before_[a].assign(n, 0.0);
    after_[a].assign(n, 0.0);
    for (Index i = 0; i < n; ++i) {
      if (i > 0 || axis.periodic()) before_[a][i] = 1 / (axis.gaps()[i] * axis.widths()[i]);
      if (i + 1 < n || axis.periodic()) after_[a][i] = 1 / (axis.gaps()[i + 1] * axis.widths()[i]);
    }
  }
}

bool Couplings::update(Real time) {
  if (ready_ && (!on_time_ || time == time_)) return false;
  for (int a = 0; a < grid_.rank(); ++a) {
    const Function& k = equation_.diffusion.coefficient[grid_.slot(a)];
    if (ready_ && !k.depends_on_time()) continue;
    time_ = time;
    if (!separable_) {
      evaluate_faces(a);
      continue;
    }
    conductivity_[a] = k(Point{}, time);
    if (!(conductivity_[a] > 0))
      throw InputError("the conductivity or diffusivity must be above zero, but is " +
                       to_text(conductivity_[a]) + " at time " + to_text(time));
  }
  time_ = time;
  ready_ = true;
  return true;
}

Index Couplings::face(int axis, Index i, Index j, Index k) const {
  const Index nx = grid_.size(0) + (axis == 0 ? 1 : 0), ny = grid_.size(1) + (axis == 1 ? 1 : 0);
  return i + nx * (j + ny * k);
}

void Couplings::evaluate_faces(int axis) {
  const Function& conductivity = equation_.diffusion.coefficient[grid_.slot(axis)];
  const Axis& along = grid_.axis(axis);
  const std::array<Index, 3> n{grid_.size(0) + (axis == 0), grid_.size(1) + (axis == 1),
                               grid_.size(2) + (axis == 2)};
  faces_[axis].assign(static_cast<std::size_t>(n[0] * n[1] * n[2]), 0.0);
  auto& low = wall_resistance_low_[axis];
  auto& high = wall_resistance_high_[axis];
  low.clear();
  high.clear();

  std::vector<Pieces> paths(along.size() + 1);
  for (Index f = 0; f <= along.size(); ++f) paths[f] = path_through(along, f);
  // Pieces across the other axes, one list for each index along them.
  std::array<std::vector<Pieces>, 3> across;
  for (int b = 0; b < 3; ++b)
    for (Index i = 0; b != axis && i < grid_.size(b); ++i)
      across[b].push_back(b < grid_.rank() ? grid_.axis(b).pieces(i) : Pieces{{0, 1}});
  const int first = axis == 0 ? 1 : 0, second = axis == 2 ? 1 : 2;

  // A line of faces is gathered first and its conductivities evaluated at once.
  std::vector<Point> gathered;
  std::vector<Real> values;
  for (Index k = 0; k < n[2]; ++k)
    for (Index j = 0; j < n[1]; ++j) {
      gathered.clear();
      const auto each_path = [&](Index i, const auto& visit) {
        const std::array<Index, 3> at{i, j, k};
        for (const auto& p : across[first][at[first]])
          for (const auto& q : across[second][at[second]]) visit(at[axis], p, q);
      };
      for (Index i = 0; i < n[0]; ++i)
        each_path(i, [&](Index f, const Axis::Piece& p, const Axis::Piece& q) {
          for (const auto& s : paths[f]) {
            Point place;
            place[grid_.slot(axis)] = s.centre;
            if (first < grid_.rank()) place[grid_.slot(first)] = p.centre;
            if (second < grid_.rank()) place[grid_.slot(second)] = q.centre;
            gathered.push_back(place);
          }
        });
      Points places(static_cast<Index>(gathered.size()));
      for (Index s = 0; s < places.size(); ++s) places.set(s, gathered[s]);
      values.resize(gathered.size());
      conductivity.evaluate(places, time_, values);
      for (std::size_t s = 0; s < values.size(); ++s)
        if (!(values[s] > 0))
          throw InputError("the conductivity or diffusivity must be above zero everywhere, but is " +
                           to_text(values[s]) + " at x = " + to_text(gathered[s].x) +
                           ", y = " + to_text(gathered[s].y) + ", z = " + to_text(gathered[s].z));

      std::size_t next = 0;
      for (Index i = 0; i < n[0]; ++i) {
        const std::array<Index, 3> at{i, j, k};
        Real area = 0, conductance = 0;
        each_path(i, [&](Index f, const Axis::Piece& p, const Axis::Piece& q) {
          Real resistance = 0;
          for (const auto& s : paths[f]) resistance += s.width / values[next++];
          area += p.width * q.width;
          if (resistance > 0) conductance += p.width * q.width / resistance;
        });
        const bool first_wall = !along.periodic() && at[axis] == 0;
        const bool last_wall = !along.periodic() && at[axis] == along.size();
        if (!first_wall && !last_wall) faces_[axis][face(axis, i, j, k)] = conductance;
        const Real resistance = conductance > 0 ? area / conductance : 0;
        if (first_wall) low.push_back(resistance);
        if (last_wall) high.push_back(resistance);
      }
    }
}

void Couplings::evaluate_capacities() {
  capacities_.resize(static_cast<std::size_t>(grid_.count()));
  integrate_over_volumes(grid_, equation_.storage, 0, capacities_);
  for (Index n = 0; n < grid_.count(); ++n)
    if (!(capacities_[n] > 0))
      throw InputError("what is stored (storage, density, heat capacity) must be above zero everywhere");
}

Real Couplings::capacity(Index n) const {
  return separable_ ? storage_ * grid_.volume_of(n) : capacities_[n];
}

Real Couplings::conductance(Index n, int axis, bool upwards) const {
  auto at = grid_.position(n);
  if (separable_)
    return conductivity_[axis] * grid_.volume_of(n) * (upwards ? after_ : before_)[axis][at[axis]];
  if (upwards) ++at[axis];
  return faces_[axis][face(axis, at[0], at[1], at[2])];
}

std::vector<Real> Couplings::wall_conductivity(Side side) const {
  const Points places = grid_.wall_points(side);
  std::vector<Real> result(static_cast<std::size_t>(places.size()));
  equation_.diffusion.coefficient[grid_.slot(side.axis)].evaluate(places, time_, result);
  return result;
}

std::vector<Real> Couplings::wall_conductance(Side side) const {
  const auto faces = static_cast<std::size_t>(grid_.unknowns_at(side).size());
  const Axis& axis = grid_.axis(side.axis);
  if (axis.unknowns() == Unknowns::nodes)
    return std::vector<Real>(faces, std::numeric_limits<Real>::infinity());
  if (separable_) {
    const Real gap = side.upper ? axis.gaps().back() : axis.gaps().front();
    return std::vector<Real>(faces, conductivity_[side.axis] / gap);
  }
  std::vector<Real> result = (side.upper ? wall_resistance_high_ : wall_resistance_low_)[side.axis];
  for (Real& r : result) r = 1 / r;
  return result;
}

void integrate_over_volumes(const Grid& grid, const Function& function, Real time, std::span<Real> out) {
  const Index nx = grid.size(0);
  // All pieces along a line of x, and the unknown to which each belongs.
  std::vector<Real> centres, widths;
  std::vector<Index> owner;
  for (Index i = 0; i < nx; ++i)
    for (const auto& piece : grid.axis(0).pieces(i)) {
      centres.push_back(piece.centre);
      widths.push_back(piece.width);
      owner.push_back(i);
    }
  const auto across = [&](int a, Index i) {
    return a < grid.rank() ? grid.axis(a).pieces(i) : Pieces{{0, 1}};
  };
  Points places(static_cast<Index>(centres.size()));
  places.coordinate(grid.slot(0)) = centres;
  std::vector<Real> values(centres.size());
  for (Index k = 0; k < grid.size(2); ++k)
    for (Index j = 0; j < grid.size(1); ++j) {
      Real* row = out.data() + grid.number(0, j, k);
      std::fill(row, row + nx, 0.0);
      for (const auto& p : across(1, j))
        for (const auto& q : across(2, k)) {
          if (grid.rank() > 1) places.coordinate(grid.slot(1)).assign(centres.size(), p.centre);
          if (grid.rank() > 2) places.coordinate(grid.slot(2)).assign(centres.size(), q.centre);
          function.evaluate(places, time, values);
          for (std::size_t s = 0; s < centres.size(); ++s)
            row[owner[s]] += values[s] * widths[s] * p.width * q.width;
        }
    }
}

}  // namespace williwaw
