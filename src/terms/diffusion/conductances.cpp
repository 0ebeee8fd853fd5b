#include "williwaw/terms/conductances.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "grid/threads.hpp"
#include "terms/content_storage.hpp"
#include "terms/diffusion/rows_of_paths.hpp"
#include "terms/diffusion/unknown_paths.hpp"

namespace williwaw {

namespace {

constexpr const char* what_is_stored = "the storage (density, heat capacity)";

bool conducts_evenly(const Equation& equation, const Grid& grid) {
  for (int a = 0; a < grid.dimension(); ++a)
    if (equation.diffusion.coefficient[grid.direction(a)].depends_on_place()) return false;
  return true;
}

// What it conducts is not known before the state is.
bool conducts_about_state(const Problem& problem) {
  const Diffusion& diffusion = problem.equation().diffusion;
  return diffusion.depends_on_unknown() || diffusion.upward || problem.limits_fluxes();
}

void check_positive(const Function& f, const char* what, bool may_vanish = false) {
  if (f.is_constant() && !(f(Point{}) > 0) && !(may_vanish && f(Point{}) == 0))
    throw InputError(std::string(what) + " must be above zero, but is " + to_text(f(Point{})));
}

}  // namespace

std::shared_ptr<const LinearStorage> linear_storage(const Problem& problem, const ControlVolumes& volumes,
                                                    std::shared_ptr<const Domain> domain) {
  const Equation& equation = problem.equation();
  check_positive(equation.storage, what_is_stored);

  if (domain->outline().whole() && !equation.storage.depends_on_place())
    return std::make_shared<LinearStorage>(std::move(domain), equation.storage(Point{}));
  std::vector<Real> capacities(static_cast<std::size_t>(domain->grid().count()));
  volumes.integrate(equation.storage, 0, capacities);
  for (Index n = 0; n < domain->grid().count(); ++n) {
    // Control volumes that are gone hold nothing; a capacity spares everyone else the question.
    if (!domain->outline().active(n)) capacities[n] = 1;
    if (!(capacities[n] > 0))
      throw InputError(std::string(what_is_stored) + " must be above zero everywhere");
  }
  return std::make_shared<LinearStorage>(std::move(domain), std::move(capacities), volumes.volumes());
}

Conductances::Conductances(const Problem& problem, std::shared_ptr<const LinearStorage> storage) {
  auto fixed = std::make_shared<Fixed>(
      Fixed{storage->domain().grid(), problem.equation(), problem.shared_regions(), std::move(storage)});
  const Grid& grid = fixed->grid;
  for (int a = 0; a < grid.dimension(); ++a) {
    const Function& k = fixed->equation.diffusion.coefficient[grid.direction(a)];
    check_positive(k, "the conductivity or diffusivity", may_be_still(fixed->equation));
    fixed->on_time = fixed->on_time || k.depends_on_time();
    fixed->on_unknown = fixed->on_unknown || k.depends_on_unknown();
  }
  fixed->on_state = conducts_about_state(problem);
  if (fixed->on_state) fixed->place_paths(problem);
  fixed->separable = fixed->storage->capacities().empty() && !fixed->on_state &&
                     fixed->equation.contacts.empty() && conducts_evenly(fixed->equation, grid);
  if (fixed->separable) fixed->place_lines();
  fixed_ = std::move(fixed);
}

void Conductances::Fixed::place_lines() {
  for (int a = 0; a < grid.dimension(); ++a) {
    const Axis& axis = grid.axis(a);
    const Index n = axis.size();
    before[a].assign(n, 0.0);
    after[a].assign(n, 0.0);
    for (Index i = 0; i < n; ++i) {
      if (i > 0 || axis.periodic()) before[a][i] = 1 / (axis.resistances()[i] * axis.measures()[i]);
      if (i + 1 < n || axis.periodic()) after[a][i] = 1 / (axis.resistances()[i + 1] * axis.measures()[i]);
    }
  }
}

// The scale of a table over values of the unknown: that of the initial ones.
void Conductances::Fixed::place_paths(const Problem& problem) {
  const Real scale = size_at_unknowns(storage->domain(), problem.initial);
  const Outline& outline = storage->domain().outline();
  for (int a = 0; a < grid.dimension(); ++a) {
    materials[a] = std::make_shared<MaterialCoefficient>(problem, grid.direction(a), scale);
    paths[a] = std::make_shared<UnknownPaths>(problem, outline, a, materials[a]);
    for (Index f = 0; f <= grid.axis(a).size(); ++f) rise[a].push_back(paths[a]->rise(f));
    face_mean = materials[a]->mean().title;
  }
}

std::unique_ptr<BoundaryConduction> Conductances::about_state(const BoundarySection& section) const {
  if (!fixed_->on_state) return nullptr;
  return std::make_unique<UnknownBoundary>(grid(), equation(), regions(), section, fixed_->materials);
}

void Conductances::update(Real time, std::span<const Real> u) {
  if (fixed_->on_state) {
    const State none(u.empty() ? static_cast<std::size_t>(grid().count()) : 0, 0.0);
    for (int a = 0; a < grid().dimension(); ++a)
      fixed_->paths[a]->evaluate(time, u.empty() ? none : u, {faces_[a], by_low_[a], by_high_[a]},
                                 fixed_->storage->domain().threads());
    time_ = time;
    ready_ = true;
    return;
  }
  if (ready_ && (!fixed_->on_time || time == time_)) return;
  for (int a = 0; a < grid().dimension(); ++a) {
    const Function& k = equation().diffusion.coefficient[grid().direction(a)];
    if (ready_ && !k.depends_on_time()) continue;
    time_ = time;
    if (!fixed_->separable) {
      evaluate_faces(a);
      continue;
    }
    conductivity_[a] = k(Point{}, time);
    if (!(conductivity_[a] > 0) && !(may_be_still(equation()) && conductivity_[a] == 0))
      throw DataError(Subject::diffusion, "",
                      "the conductivity or diffusivity must be above zero, but is " +
                          to_text(conductivity_[a]) + " at time " + to_text(time));
  }
  time_ = time;
  ready_ = true;
}

Index Conductances::face(int axis, Index i, Index j, Index k) const {
  return face_number(grid(), axis, i, j, k);
}

void Conductances::evaluate_faces(int axis) {
  const Axis& along = grid().axis(axis);
  const Index count = along.size() + 1;
  const int first = axis == 0 ? 1 : 0, second = axis == 2 ? 1 : 2;
  auto& faces = faces_[axis];
  faces.assign(static_cast<std::size_t>(count * grid().size(first) * grid().size(second)), 0.0);
  auto& low = boundary_resistance_low_[axis];
  auto& high = boundary_resistance_high_[axis];
  low.assign(static_cast<std::size_t>(grid().size(first) * grid().size(second)), 0.0);
  high = low;
  // Areas of faces along a line differ only where the axis is round.
  std::vector<Real> areas;
  for (Index f = 0; f < count; ++f) areas.push_back(along.area(along.bounds()[f]));
  const auto make = [&] {
    return std::make_unique<RowsOfPaths>(
        grid(), axis, equation().diffusion.coefficient[grid().direction(axis)], equation(), regions());
  };
  const int threads = threads_for(grid().count(), 0);
  // Adds what rows of faces conduct to those that are in memory where `out` is: Σ of pieces across.
  const auto add = [&](RowsOfPaths& rows, Real part, Real* out) {
    const auto resistances = rows.next(areas);
    const auto owners = rows.owners();
    const auto measures = rows.measures();
    for (std::size_t e = 0; e < resistances.size(); ++e)
      if (resistances[e] > 0) out[owners[e]] += part * measures[e] / resistances[e];
  };
  if (axis == 0) {
    on_all_threads(grid().lines(), threads, make, [&](std::unique_ptr<RowsOfPaths>& rows, Index l) {
      Real* row = faces.data() + count * l;
      for (const auto& p : pieces_across(grid(), 1, l % grid().size(1)))
        for (const auto& q : pieces_across(grid(), 2, l / grid().size(1))) {
          Point across;
          if (grid().dimension() > 1) across[grid().direction(1)] = p.centre;
          if (grid().dimension() > 2) across[grid().direction(2)] = q.centre;
          rows->start(0, across, time_);
          add(*rows, measure_across(grid(), 1, p) * measure_across(grid(), 2, q), row);
        }
    });
  } else {
    // Blocks of rows: what the first of them needs of the row before is looked at twice.
    constexpr Index in_one = 32;
    const int other = axis == 1 ? 2 : 1;
    const Index blocks = (count + in_one - 1) / in_one;
    on_all_threads(blocks * grid().size(other), threads, make,
                   [&](std::unique_ptr<RowsOfPaths>& rows, Index task) {
                     const Index start = task % blocks * in_one, at = task / blocks;
                     for (const auto& q : pieces_across(grid(), other, at)) {
                       Point across;
                       if (other < grid().dimension()) across[grid().direction(other)] = q.centre;
                       rows->start(start, across, time_);
                       for (Index f = start; f < std::min(start + in_one, count); ++f)
                         add(*rows, measure_across(grid(), other, q),
                             faces.data() + (axis == 1 ? face(1, 0, f, at) : face(2, 0, at, f)));
                     }
                   });
  }
  settle_boundaries(axis, areas);
  close_faces(axis);
}

// On a boundary: what a unit of its area resists.
void Conductances::settle_boundaries(int axis, std::span<const Real> areas) {
  const Axis& along = grid().axis(axis);
  if (along.periodic()) return;
  const int first = axis == 0 ? 1 : 0, second = axis == 2 ? 1 : 2;
  for (const bool upper : {false, true})
    for (Index k = 0; k < grid().size(second); ++k)
      for (Index j = 0; j < grid().size(first); ++j) {
        std::array<Index, 3> at{};
        at[axis] = upper ? along.size() : 0;
        at[first] = j;
        at[second] = k;
        Real& conducts = faces_[axis][face(axis, at[0], at[1], at[2])];
        Real whole = 0;
        for (const auto& p : pieces_across(grid(), first, j))
          for (const auto& q : pieces_across(grid(), second, k))
            whole += measure_across(grid(), first, p) * measure_across(grid(), second, q);
        (upper ? boundary_resistance_high_ : boundary_resistance_low_)[axis][j + grid().size(first) * k] =
            conducts > 0 ? whole * areas[upper ? areas.size() - 1 : 0] / conducts : 0;
        conducts = 0;
      }
}

// By the fraction of each face that the outline leaves open.
void Conductances::close_faces(int axis) {
  const Outline& outline = fixed_->storage->domain().outline();
  if (outline.whole()) return;
  const Index size = grid().size(axis);
  Index stride = 1;
  for (int a = 0; a < axis; ++a) stride *= grid().size(a);
  const Index lines = grid().lines(), nx = grid().size(0);
  on_all_threads(
      lines, threads_for(grid().count(), 0), [] { return 0; },
      [&](int, Index l) {
        const Index j = l % grid().size(1), k = l / grid().size(1);
        for (Index i = 0; i < nx; ++i) {
          const Index n = i + nx * l, along = axis == 0 ? i : axis == 1 ? j : k;
          // The face below each unknown, and around a seam the copy at the end.
          const bool seam = along == 0;
          if (seam && !grid().axis(axis).periodic()) continue;
          const Index below = seam ? n + (size - 1) * stride : n - stride;
          if (outline.untouched(n) && outline.untouched(below)) continue;
          const Real open = outline.open_between(below, n, axis);
          faces_[axis][face(axis, i, j, k)] *= open;
          if (!seam) continue;
          faces_[axis][face(axis, axis == 0 ? size : i, axis == 1 ? size : j, axis == 2 ? size : k)] *= open;
        }
      });
}

Real Conductances::conductance(Index n, int axis, bool upwards) const {
  if (fixed_->separable && conductivity_[axis] == 0) return 0;
  auto at = grid().position(n);
  if (fixed_->separable)
    return conductivity_[axis] * grid().volume_of(n) *
           (upwards ? fixed_->after : fixed_->before)[axis][at[axis]];
  if (upwards) ++at[axis];
  return faces_[axis][face(axis, at[0], at[1], at[2])];
}

Real Conductances::along(const Point& from, const Point& to, int direction) const {
  const Function& k = equation().diffusion.coefficient[direction];
  Real length = 0;
  for (int s = 0; s < 3; ++s) length += (to[s] - from[s]) * (to[s] - from[s]);
  length = std::sqrt(length);
  const auto at = [&](Real fraction) {
    return Point{from.x + fraction * (to.x - from.x), from.y + fraction * (to.y - from.y),
                 from.z + fraction * (to.z - from.z)};
  };
  if (!k.regions()) return length / k(at(0.5), time_);
  Real sum = 0;
  each_material(k.regions().get(), from, to, [&](Real begin, Real end, int label) {
    sum += (end - begin) * length / k.part(label)(at(0.5 * (begin + end)), time_);
  });
  return sum;
}

void Conductances::at_boundary(const BoundarySection& section, AtBoundary& out) const {
  const std::size_t count = section.faces.size();
  auto &conductivity = out.conductivity, &storage = out.storage, &resistance = out.resistance;
  storage.assign(count, 0.0);
  conductivity.assign(count, 0.0);
  resistance.assign(count, 0.0);
  Points places(static_cast<Index>(count));
  // A little inside, where the material is.
  for (std::size_t f = 0; f < count; ++f) {
    const BoundaryFace& face = section.faces[f];
    Point p = face.place;
    const auto at = grid().position(face.unknown);
    for (int a = 0; a < grid().dimension(); ++a)
      if (regions().size() > 0)
        p[grid().direction(a)] -= 1e-6 * grid().axis(a).widths()[at[a]] * face.normal[grid().direction(a)];
    places.set(static_cast<Index>(f), p);
  }
  // Only waves ask for what is stored; theirs does not depend on the unknown.
  if (equation().stores_nonlinearly())
    storage.assign(count, 1.0);
  else
    equation().storage.evaluate(places, time_, storage);
  std::vector<Real> values(count);
  for (int a = 0; a < grid().dimension(); ++a) {
    equation().diffusion.coefficient[grid().direction(a)].evaluate(places, time_, values);
    for (std::size_t f = 0; f < count; ++f) {
      const Real n = section.faces[f].normal[grid().direction(a)];
      conductivity[f] += values[f] * n * n;
    }
  }
  for (std::size_t f = 0; f < count; ++f) {
    const BoundaryFace& face = section.faces[f];
    if (face.distance == 0) continue;
    if (face.on_side) {
      resistance[f] = on_side(face);
      continue;
    }
    Point from = grid().point_of(face.unknown), to = from;
    for (int s = 0; s < 3; ++s) to[s] += face.distance * face.normal[s];
    resistance[f] = face.distance > 0 && along_material(face) ? along(from, to, grid().direction(face.axis))
                                                              : face.distance / conductivity[f];
  }
  for (std::size_t f = 0; f < count; ++f)
    if (conductivity[f] == 0 || !(resistance[f] < no_conduction))
      resistance[f] = section.faces[f].distance == 0 ? 0 : no_conduction;
}

// Axes may conduct differently; then a slanted path is none of them.
bool Conductances::along_material(const BoundaryFace& face) const {
  return std::abs(face.normal[grid().direction(face.axis)]) > 1 - 1e-9;
}

Real Conductances::on_side(const BoundaryFace& face) const {
  const Axis& axis = grid().axis(face.axis);
  if (fixed_->separable) {
    const Real path = face.upper ? axis.resistances().back() : axis.resistances().front();
    return path * axis.area(face.upper ? axis.to() : axis.from()) / conductivity_[face.axis];
  }
  auto at = grid().position(face.unknown);
  at[face.axis] = 0;
  const int first = face.axis == 0 ? 1 : 0, second = face.axis == 2 ? 1 : 2;
  return (face.upper ? boundary_resistance_high_
                     : boundary_resistance_low_)[face.axis][at[first] + grid().size(first) * at[second]];
}

}  // namespace williwaw
