#include "williwaw/terms/conductances.hpp"

#include <algorithm>
#include <cmath>
#include <exception>
#include <limits>

#include "terms/content_storage.hpp"
#include "terms/diffusion/path.hpp"
#include "terms/diffusion/unknown_paths.hpp"

namespace williwaw {

namespace {

using Pieces = std::vector<Axis::Piece>;

bool may_be_still(const Equation& equation) {
  // The advected quantity need not diffuse.
  return equation.advection.has_value();
}

constexpr const char* what_is_stored = "the storage (density, heat capacity)";

bool conducts_evenly(const Equation& equation, const Grid& grid) {
  for (int a = 0; a < grid.dimension(); ++a)
    if (equation.diffusion.coefficient[grid.direction(a)].depends_on_place()) return false;
  return true;
}

void check_positive(const Function& f, const char* what, bool may_vanish = false) {
  if (f.is_constant() && !(f(Point{}) > 0) && !(may_vanish && f(Point{}) == 0))
    throw InputError(std::string(what) + " must be above zero, but is " + to_text(f(Point{})));
}

}  // namespace

std::shared_ptr<const LinearStorage> linear_storage(const Problem& problem, const ControlVolumes& volumes,
                                                    std::shared_ptr<const Domain> domain) {
  const Equation& equation = problem.equation();
  if (equation.stores_nonlinearly()) return capacities_at_start(problem, volumes, std::move(domain));
  check_positive(equation.storage, what_is_stored);
  const bool whole = domain->outline().whole();
  const bool about_state =
      equation.diffusion.depends_on_unknown() || equation.diffusion.upward || problem.limits_fluxes();
  if (whole && !about_state && equation.contacts.empty() && !equation.storage.depends_on_place() &&
      conducts_evenly(equation, domain->grid()))
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
  fixed->on_state =
      fixed->on_unknown || fixed->equation.diffusion.upward.has_value() || problem.limits_fluxes();
  if (fixed->on_state) fixed->place_paths(problem);
  fixed->separable = fixed->storage->capacities().empty();
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
  std::vector<Real> start(static_cast<std::size_t>(grid.count()));
  evaluate_at_unknowns(grid, problem.initial, 0, start);
  Real scale = 0;
  for (const Real u : start)
    if (std::isfinite(u)) scale = std::max(scale, std::abs(u));
  const Outline& outline = storage->domain().outline();
  for (int a = 0; a < grid.dimension(); ++a) {
    materials[a] = std::make_shared<MaterialCoefficient>(problem, grid.direction(a), scale > 0 ? scale : 1);
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
    UnknownFaces faces;
    for (int a = 0; a < grid().dimension(); ++a) {
      std::swap(faces.conductance, faces_[a]);
      std::swap(faces.by_low, by_low_[a]);
      std::swap(faces.by_high, by_high_[a]);
      fixed_->paths[a]->evaluate(time, u.empty() ? none : u, faces);
      std::swap(faces.conductance, faces_[a]);
      std::swap(faces.by_low, by_low_[a]);
      std::swap(faces.by_high, by_high_[a]);
    }
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
  const Index nx = grid().size(0) + (axis == 0 ? 1 : 0), ny = grid().size(1) + (axis == 1 ? 1 : 0);
  return i + nx * (j + ny * k);
}

namespace {

// All paths along one line of unknowns: conductivities at their Gauss points and, where materials differ by
// region, labels at their ends and at those points.
class LineOfPaths {
 public:
  LineOfPaths(const Grid& grid, int axis, const Function& k, const Equation& equation, const Regions& regions)
      : grid_(grid),
        axis_(axis),
        direction_(grid.direction(axis)),
        k_(k),
        equation_(equation),
        regions_(regions),
        halves_(half_paths(grid.axis(axis))) {
    for (const auto& face : halves_)
      for (const HalfPath& h : face) gauss_.insert(gauss_.end(), h.gauss.begin(), h.gauss.end());
    gauss_places_.resize(static_cast<Index>(gauss_.size()));
    gauss_places_.coordinate(direction_) = gauss_;
    values_.resize(gauss_.size());
    by_region_ = k.regions() != nullptr || !equation.contacts.empty();
    for (int label = 0; k.regions() && label <= regions.size(); ++label)
      if (k.part(label).is_constant()) table_.push_back(k.part(label)(Point{}));
    // Labels alone tell the conductivity where every material has one.
    by_table_ = k.regions() && static_cast<Index>(table_.size()) == regions.size() + 1;
    if (by_region_) gauss_labels_.resize(gauss_.size());
  }

  void move_to(const Point& across, Real time) {
    time_ = time;
    across_ = across;
    for (int a = 0; a < grid_.dimension(); ++a)
      if (const int direction = grid_.direction(a); direction != direction_)
        gauss_places_.coordinate(direction).assign(gauss_.size(), across[direction]);
    if (by_region_) regions_.labels(gauss_places_, gauss_labels_);
    if (by_table_)
      for (std::size_t s = 0; s < values_.size(); ++s)
        values_[s] = table_[static_cast<std::size_t>(gauss_labels_[s])];
    else
      k_.evaluate(gauss_places_, time, values_);
    for (std::size_t s = 0; s < values_.size(); ++s)
      if (!(values_[s] > 0) && !(may_be_still(equation_) && values_[s] == 0))
        throw DataError(Subject::diffusion, "",
                        "the conductivity or diffusivity must be above zero everywhere, but is " +
                            to_text(values_[s]) + " at " +
                            grid_.place_text(gauss_places_[static_cast<Index>(s)]));
    start();
  }

  void start() {
    next_ = 0;
    last_label_ = -1;
  }

  // ∫ ds/(k·area) through face f; faces must be asked for in order.
  Real resistance(Index f, Real area) {
    Real sum = 0;
    for (const HalfPath& h : halves_[f]) {
      const std::size_t s = 2 * next_++;
      if (!by_region_) {
        sum += h.weight[0] / values_[s] + h.weight[1] / values_[s + 1];
        continue;
      }
      // Where the points on both sides lie in the same material, so does what is between them.
      const int label = gauss_labels_[s];
      const bool plain = s > 0 && s + 2 < gauss_labels_.size() && gauss_labels_[s - 1] == label &&
                         gauss_labels_[s + 1] == label && gauss_labels_[s + 2] == label;
      const int first = plain ? label : label_at(h, 1e-7), last = plain ? label : label_at(h, 1 - 1e-7);
      if (last_label_ >= 0 && last_label_ != first)
        sum += contact_between(equation_, last_label_, first) / area;
      last_label_ = last;
      if (first == last && label == first && gauss_labels_[s + 1] == first)
        sum += h.weight[0] / values_[s] + h.weight[1] / values_[s + 1];
      else
        sum += through_materials(h, area);
    }
    return sum;
  }

 private:
  int label_at(const HalfPath& h, Real fraction) const {
    Point p = across_;
    p[direction_] = grid_.axis(axis_).wrap(h.from + fraction * (h.to - h.from));
    return regions_.label(p);
  }

  // A half path that crosses from one material to another, stretch by stretch.
  Real through_materials(const HalfPath& h, Real area) const {
    Point from = across_, to = across_;
    from[direction_] = h.from;
    to[direction_] = h.to;
    const auto found = changes(regions_, from, to);
    const Real whole = h.weight[0] + h.weight[1], length = h.to - h.from;
    Real start = 0, sum = 0;
    const auto stretch = [&](Real begin, Real end, int label) {
      const Real middle = 0.5 * (begin + end), reach = 0.5 * (end - begin) / std::sqrt(3.0);
      for (const Real fraction : {middle - reach, middle + reach}) {
        Point p = across_;
        p[direction_] = h.from + fraction * length;
        sum += 0.5 * (end - begin) * whole / k_.part(label)(p, time_);
      }
    };
    for (const Change& c : found) {
      stretch(start, c.fraction, c.before);
      sum += contact_between(equation_, c.before, c.after) / area;
      start = c.fraction;
    }
    Point end = to;
    end[direction_] = h.to - 1e-7 * length;
    stretch(start, 1, found.empty() ? regions_.label(end) : found.back().after);
    return sum;
  }

  const Grid& grid_;
  int axis_, direction_;
  const Function& k_;
  const Equation& equation_;
  const Regions& regions_;
  std::vector<std::vector<HalfPath>> halves_;
  std::vector<Real> gauss_, values_;
  Points gauss_places_;
  std::vector<int> gauss_labels_;
  bool by_region_ = false, by_table_ = false;
  std::vector<Real> table_;
  Point across_;
  Real time_ = 0;
  std::size_t next_ = 0;
  int last_label_ = -1;
};

}  // namespace

void Conductances::evaluate_faces(int axis) {
  const Outline& outline = fixed_->storage->domain().outline();
  const Axis& along = grid().axis(axis);
  const Index count = along.size() + 1;
  const int first = axis == 0 ? 1 : 0, second = axis == 2 ? 1 : 2;
  faces_[axis].assign(static_cast<std::size_t>(count * grid().size(first) * grid().size(second)), 0.0);
  auto& low = boundary_resistance_low_[axis];
  auto& high = boundary_resistance_high_[axis];
  const auto pieces = [&](int a, Index i) {
    return a < grid().dimension() ? grid().axis(a).pieces(i) : Pieces{{0, 1}};
  };
  const auto measure = [&](int a, const Axis::Piece& p) {
    return a < grid().dimension() ? grid().axis(a).measure(p.centre - 0.5 * p.width, p.centre + 0.5 * p.width)
                                  : 1.0;
  };
  // Areas of faces along a line differ only where the axis is round.
  std::vector<Real> areas;
  for (Index f = 0; f < count; ++f) areas.push_back(along.area(along.bounds()[f]));
  low.assign(static_cast<std::size_t>(grid().size(first) * grid().size(second)), 0.0);
  high = low;
  const auto one_line = [&](LineOfPaths& line, std::vector<Real>& sums, Index j, Index k) {
    std::fill(sums.begin(), sums.end(), 0.0);
    Real whole = 0;
    for (const auto& p : pieces(first, j))
      for (const auto& q : pieces(second, k)) {
        Point across;
        if (first < grid().dimension()) across[grid().direction(first)] = p.centre;
        if (second < grid().dimension()) across[grid().direction(second)] = q.centre;
        line.move_to(across, time_);
        const Real part = measure(first, p) * measure(second, q);
        whole += part;
        for (Index f = 0; f < count; ++f)
          if (const Real resistance = line.resistance(f, areas[f]); resistance > 0)
            sums[f] += part / resistance;
      }
    for (Index f = 0; f < count; ++f) {
      std::array<Index, 3> at{};
      at[axis] = f;
      at[first] = j;
      at[second] = k;
      if (!along.periodic() && (f == 0 || f == count - 1)) {
        // On a boundary: what a unit of its area resists.
        (f == 0 ? low : high)[j + grid().size(first) * k] = sums[f] > 0 ? whole * areas[f] / sums[f] : 0;
        continue;
      }
      const Index direction = face(axis, at[0], at[1], at[2]);
      auto below = at;
      below[axis] = f > 0 ? f - 1 : along.size() - 1;
      at[axis] = f < along.size() ? f : 0;
      faces_[axis][direction] = sums[f] * outline.open_between(grid().number(below[0], below[1], below[2]),
                                                               grid().number(at[0], at[1], at[2]), axis);
    }
  };
  // Lines do not meet. What goes wrong on one of them is told once all are done.
  const Index lines = grid().size(first) * grid().size(second);
  std::exception_ptr trouble;
  [[maybe_unused]] const bool many = grid().count() > 20000;
#pragma omp parallel if (many)
  {
    LineOfPaths line(grid(), axis, equation().diffusion.coefficient[grid().direction(axis)], equation(),
                     regions());
    std::vector<Real> sums(static_cast<std::size_t>(count));
#pragma omp for schedule(static)
    for (Index l = 0; l < lines; ++l) try {
        one_line(line, sums, l % grid().size(first), l / grid().size(first));
      } catch (...) {
#pragma omp critical(conductances_trouble)
        trouble = std::current_exception();
      }
  }
  if (trouble) std::rethrow_exception(trouble);
}

Real Conductances::conductance(Index n, int axis, bool upwards) const {
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
  Real start = 0, sum = 0;
  int label = k.regions()->label(at(1e-7));
  for (const Change& c : changes(*k.regions(), from, to)) {
    sum += (c.fraction - start) * length / k.part(c.before)(at(0.5 * (start + c.fraction)), time_);
    start = c.fraction;
    label = c.after;
  }
  return sum + (1 - start) * length / k.part(label)(at(0.5 * (1 + start)), time_);
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
