#include "terms/diffusion/unknown_paths.hpp"

#include <algorithm>
#include <cmath>

#include "grid/threads.hpp"

namespace williwaw {

namespace {
constexpr Real negligible = 1e-6;
}

MaterialCoefficient::MaterialCoefficient(const Problem& problem, int direction, Real scale)
    : coefficient_(problem.equation().diffusion.coefficient[static_cast<std::size_t>(direction)]),
      grid_(problem.grid()),
      labels_(coefficient_.regions() ? static_cast<int>(problem.regions().size()) + 1 : 1) {
  bool tabulated = true;
  for (int label = 0; label < labels_; ++label)
    tabulated = tabulated && !part(label).depends_on_place() && !part(label).depends_on_time();
  const std::string& wanted = problem.face_mean;
  mean_ = &face_mean_kind(!wanted.empty() ? wanted : tabulated ? "integral" : "arithmetic");
  if (!mean_->needs_integral) return;
  if (!tabulated)
    throw InputError(Subject::face_mean, "face mean '" + mean_->name +
                                             "' needs a coefficient of the unknown alone, by region at most: "
                                             "choose harmonic, arithmetic or upstream");
  for (int label = 0; label < labels_; ++label)
    integrals_.emplace_back(
        [f = part(label)](std::span<const Real> u, std::span<Real> out) {
          f.evaluate(Points(static_cast<Index>(u.size())), 0, u, out);
        },
        scale);
}

void MaterialCoefficient::evaluate(int label, const Points& places, Real time, std::span<const Real> u,
                                   std::span<Real> value, std::span<Real> slope) {
  const Function& f = part(label);
  f.evaluate(places, time, u, value);
  f.slope(places, time, u, slope);
  Real lowest = 0, highest = 0;
  if (places.size() > 1) largest_ = 0;
  for (const Real k : value)
    if (std::isfinite(k)) largest_ = std::max(largest_, k);
  for (std::size_t i = 0; i < value.size(); ++i) {
    // Where the unknown falls below the value at which nothing conducts by what rounding and solvers leave.
    if (value[i] < 0 && value[i] > -negligible * largest_) value[i] = slope[i] = 0;
    if (!(value[i] >= 0) || std::isinf(value[i]))
      throw DataError(
          Subject::diffusion, "",
          "the conductivity or diffusivity must not be below zero, but is " + to_text(value[i]) +
              " for the value " + to_text(u[i]) +
              (f.depends_on_place() ? " at " + grid_.place_text(places[static_cast<Index>(i)]) : ""));
    // A slope without bound, as where a power below 1 reaches 0, is none that an iteration can use.
    if (!std::isfinite(slope[i])) slope[i] = 0;
    lowest = i == 0 ? u[i] : std::min(lowest, u[i]);
    highest = i == 0 ? u[i] : std::max(highest, u[i]);
  }
  if (!integrals_.empty() && !u.empty()) integrals_[static_cast<std::size_t>(label)].cover(lowest, highest);
}

namespace {

Point on_the_way(const Point& from, const Point& to, Real fraction) {
  Point p;
  for (int s = 0; s < 3; ++s) p[s] = from[s] + fraction * (to[s] - from[s]);
  return p;
}

}  // namespace

// Where the place does not matter within a material, one look at an unknown serves all paths that meet it.
Index UnknownPaths::sample(int label, Index unknown, const Point& place) {
  Samples& samples = samples_[static_cast<std::size_t>(label)];
  const auto next = static_cast<Index>(samples.unknowns.size());
  if (!coefficient_->part(label).depends_on_place()) {
    Index& known = samples.number_of[static_cast<std::size_t>(unknown)];
    if (known >= 0) return known;
    known = next;
  } else {
    samples.places.push_back(place);
  }
  samples.unknowns.push_back(unknown);
  return next;
}

UnknownPaths::UnknownPaths(const Problem& problem, const Outline& outline, int axis,
                           std::shared_ptr<MaterialCoefficient> coefficient)
    : coefficient_(std::move(coefficient)) {
  const Grid& grid = problem.grid();
  const Axis& along = grid.axis(axis);
  const Index count = along.size() + 1;
  const int first = axis == 0 ? 1 : 0, second = axis == 2 ? 1 : 2;
  samples_.resize(static_cast<std::size_t>(coefficient_->labels()));
  for (std::size_t l = 0; l < samples_.size(); ++l)
    if (!coefficient_->part(static_cast<int>(l)).depends_on_place())
      samples_[l].number_of.assign(static_cast<std::size_t>(grid.count()), -1);
  faces_ = static_cast<std::size_t>(count * grid.size(first) * grid.size(second));
  place_rise(problem, axis);
  const auto halves = half_paths(along);
  for (Index k = 0; k < grid.size(second); ++k)
    for (Index j = 0; j < grid.size(first); ++j) {
      rows_.push_back(paths_.size());
      for (const auto& p : pieces_across(grid, first, j))
        for (const auto& q : pieces_across(grid, second, k)) {
          Point across;
          if (first < grid.dimension()) across[grid.direction(first)] = p.centre;
          if (second < grid.dimension()) across[grid.direction(second)] = q.centre;
          const Real part = measure_across(grid, first, p) * measure_across(grid, second, q);
          for (Index f = 0; f < count; ++f) {
            // Faces on boundaries are the closures'.
            if (!along.periodic() && (f == 0 || f == count - 1)) continue;
            const auto at = [&](Index i) {
              std::array<Index, 3> result{};
              result[static_cast<std::size_t>(axis)] = i;
              result[static_cast<std::size_t>(first)] = j;
              result[static_cast<std::size_t>(second)] = k;
              return result;
            };
            const auto below = at(f > 0 ? f - 1 : along.size() - 1), above = at(f < along.size() ? f : 0),
                       here = at(f);
            const Index low = grid.number(below[0], below[1], below[2]),
                        high = grid.number(above[0], above[1], above[2]);
            const Real face = along.bounds()[f];
            add_path({problem, axis, across, along.area(face), along.length()},
                     {face_number(grid, axis, here[0], here[1], here[2]), low, high,
                      part * outline.open_between(low, high, axis), 0, rise(f), pieces_.size(), 0},
                     halves[static_cast<std::size_t>(f)], face);
          }
        }
    }
  rows_.push_back(paths_.size());
  number_samples();
}

// How much the potential of gravity rises between the unknowns on both sides of each face of a line.
void UnknownPaths::place_rise(const Problem& problem, int axis) {
  const Axis& along = problem.grid().axis(axis);
  const Index count = along.size() + 1;
  rise_.assign(static_cast<std::size_t>(count), 0.0);
  const auto& upward = problem.equation().diffusion.upward;
  if (!upward) return;
  for (Index f = 0; f < count; ++f) {
    if (!along.periodic() && (f == 0 || f + 1 == count)) continue;
    const Real before = f > 0 ? along.points()[f - 1] : along.points().back() - along.length(),
               after = f < along.size() ? along.points()[f] : along.points().front() + along.length();
    rise_[static_cast<std::size_t>(f)] = (*upward)[problem.grid().direction(axis)] * (after - before);
  }
}

void UnknownPaths::add_path(const Way& way, Path path, const std::vector<HalfPath>& halves, Real face) {
  int last_label = -1;
  bool beside_low = true;
  for (const HalfPath& half : halves) {
    // Without a half before the face all of the path lies beside the unknown after it.
    if (half.from >= face - 1e-12 * way.length) beside_low = false;
    add_pieces(way, half, beside_low, last_label, path);
    beside_low = false;
  }
  path.end_piece = pieces_.size();
  if (path.end_piece > path.first_piece) paths_.push_back(path);
}

void UnknownPaths::add_pieces(const Way& way, const HalfPath& half, bool beside_low, int& last_label,
                              Path& path) {
  const Grid& grid = way.problem.grid();
  const Equation& equation = way.problem.equation();
  const int direction = grid.direction(way.axis);
  Point from = way.across, to = way.across;
  from[direction] = half.from;
  to[direction] = half.to;
  const bool by_material = coefficient_->labels() > 1 || !equation.contacts.empty();
  each_material(
      by_material ? &way.problem.regions() : nullptr, from, to, [&](Real begin, Real end, int label) {
        if (last_label >= 0 && last_label != label)
          path.contact += contact_between(equation, last_label, label) / way.area;
        last_label = label;
        const int own = coefficient_->labels() > 1 ? label : 0;
        const bool in_place = coefficient_->part(own).depends_on_place();
        const Real middle = 0.5 * (begin + end), reach = 0.5 * (end - begin) / std::sqrt(3.0);
        // Whole halves keep Gauss' two weights, which know how the area varies.
        const bool whole = begin == 0 && end == 1;
        const Real all = half.weight[0] + half.weight[1];
        for (int g = 0; g < (in_place ? 2 : 1); ++g) {
          Point place = on_the_way(from, to, in_place ? middle + (g == 0 ? -reach : reach) : middle);
          place[direction] = grid.axis(way.axis).wrap(place[direction]);
          const Real weight = !in_place ? (end - begin) * all
                              : whole   ? half.weight[static_cast<std::size_t>(g)]
                                        : 0.5 * (end - begin) * all;
          pieces_.push_back(
              {weight, sample(own, path.low, place), sample(own, path.high, place), own, beside_low});
        }
      });
}

// Samples of all materials follow each other.
void UnknownPaths::number_samples() {
  Index total = 0;
  for (Samples& s : samples_) {
    s.first = total;
    total += static_cast<Index>(s.unknowns.size());
  }
  for (Piece& piece : pieces_) {
    piece.low += samples_[static_cast<std::size_t>(piece.label)].first;
    piece.high += samples_[static_cast<std::size_t>(piece.label)].first;
  }
  for (auto* values : {&u_, &value_, &slope_}) values->resize(static_cast<std::size_t>(total));
}

void UnknownPaths::evaluate(Real time, std::span<const Real> u, UnknownFaces faces, int threads) {
  for (std::size_t l = 0; l < samples_.size(); ++l) {
    const Samples& s = samples_[l];
    if (s.unknowns.empty()) continue;
    const auto first = static_cast<std::size_t>(s.first), count = s.unknowns.size();
    for (std::size_t i = 0; i < count; ++i) u_[first + i] = u[static_cast<std::size_t>(s.unknowns[i])];
    Points places(static_cast<Index>(count));
    for (std::size_t i = 0; i < s.places.size(); ++i) places.set(static_cast<Index>(i), s.places[i]);
    coefficient_->evaluate(static_cast<int>(l), places, time, std::span(u_).subspan(first, count),
                           std::span(value_).subspan(first, count), std::span(slope_).subspan(first, count));
  }
  for (auto* values : {&faces.conductance, &faces.by_low, &faces.by_high}) values->assign(faces_, 0.0);
  on_all_threads(
      static_cast<Index>(rows_.size()) - 1, threads_for(static_cast<Index>(paths_.size()), threads),
      [] { return std::vector<FaceMean>(); },
      [&](std::vector<FaceMean>& means, Index row) {
        for (std::size_t p = rows_[static_cast<std::size_t>(row)];
             p < rows_[static_cast<std::size_t>(row) + 1]; ++p)
          conduct(paths_[p], u, means, faces);
      });
}

// Sums of a face are taken in the order of its paths.
void UnknownPaths::conduct(const Path& path, std::span<const Real> u, std::vector<FaceMean>& means,
                           const UnknownFaces& faces) const {
  const FaceMeanKind& kind = coefficient_->mean();
  const Real low = u[static_cast<std::size_t>(path.low)], high = u[static_cast<std::size_t>(path.high)];
  const bool upwards = low > high + path.rise;
  means.clear();
  Real resistance = path.contact, closed = 0;
  for (std::size_t n = path.first_piece; n < path.end_piece; ++n) {
    const Piece& piece = pieces_[n];
    const auto a = static_cast<std::size_t>(piece.low), b = static_cast<std::size_t>(piece.high);
    means.push_back(kind.of({{low, value_[a], slope_[a]},
                             {high, value_[b], slope_[b]},
                             piece.beside_low,
                             upwards,
                             coefficient_->integral(piece.label)}));
    if (means.back().value > 0)
      resistance += piece.weight / means.back().value;
    else
      closed += piece.weight;
  }
  // What does not conduct lets nothing pass, whatever lies beside it. Each piece takes part in the
  // derivative with the square of its part of the resistance, which stays a number however large that is.
  const auto face = static_cast<std::size_t>(path.face);
  const bool open = closed == 0 && !std::isinf(resistance);
  if (open) faces.conductance[face] += path.fraction / resistance;
  for (std::size_t n = path.first_piece; n < path.end_piece; ++n) {
    const FaceMean& mean = means[n - path.first_piece];
    const Real weight = pieces_[n].weight;
    const Real part = open ? weight / mean.value / resistance : !(mean.value > 0) ? weight / closed : 0;
    const Real change = path.fraction * part * part / weight;
    faces.by_low[face] += change * mean.by_low;
    faces.by_high[face] += change * mean.by_high;
  }
}

UnknownBoundary::UnknownBoundary(const Grid& grid, const Equation& equation, const Regions& regions,
                                 const BoundarySection& section, Coefficients by_axis)
    : grid_(grid), section_(section), by_axis_(std::move(by_axis)) {
  for (std::size_t f = 0; f < section.faces.size(); ++f) {
    const BoundaryFace& face = section.faces[f];
    Point inside = face.place;
    const auto at = grid.position(face.unknown);
    for (int a = 0; a < grid.dimension(); ++a)
      inside[grid.direction(a)] -=
          1e-6 * grid.axis(a).widths()[at[static_cast<std::size_t>(a)]] * face.normal[grid.direction(a)];
    places_.push_back(inside);
    labels_.push_back(regions.size() > 0 ? regions.label(inside) : 0);
    Real along_normal = 0;
    for (int s = 0; s < 3 && equation.diffusion.upward; ++s)
      along_normal += (*equation.diffusion.upward)[s] * face.normal[s];
    upward_.push_back(along_normal);
    rise_.push_back(along_normal * face.distance);
    contact_.push_back(0);
    add_pieces(equation, regions, static_cast<Index>(f));
  }
}

// From the unknown straight to the boundary. Across sides the areas along the axis count.
void UnknownBoundary::add_pieces(const Equation& equation, const Regions& regions, Index f) {
  const BoundaryFace& face = section_.faces[static_cast<std::size_t>(f)];
  if (face.distance == 0) return;
  const Axis& axis = grid_.axis(face.axis);
  Real length = std::abs(face.distance);
  if (face.on_side)
    length = (face.upper ? axis.resistances().back() : axis.resistances().front()) *
             axis.area(face.upper ? axis.to() : axis.from());
  const Point from = grid_.point_of(face.unknown);
  Point to = from;
  for (int s = 0; s < 3; ++s) to[s] += face.distance * face.normal[s];
  MaterialCoefficient& coefficient = *by_axis_[static_cast<std::size_t>(face.axis)];
  int last = -1;
  each_material(coefficient.labels() > 1 || !equation.contacts.empty() ? &regions : nullptr, from, to,
                [&](Real begin, Real end, int label) {
                  if (last >= 0)
                    contact_[static_cast<std::size_t>(f)] += contact_between(equation, last, label);
                  last = label;
                  const int own = coefficient.labels() > 1 ? label : 0;
                  pieces_.push_back(
                      {face.axis, own, f, on_the_way(from, to, 0.5 * (begin + end)), (end - begin) * length});
                });
}

void UnknownBoundary::evaluate(Real time, std::span<const Real> inside, std::span<const Real> on_boundary,
                               AtBoundary& out) {
  const std::size_t count = section_.faces.size();
  for (auto* values :
       {&out.conductivity, &out.conductivity_slope, &out.resistance, &out.by_inside, &out.by_boundary})
    values->assign(count, 0.0);
  out.rise = rise_;
  out.upward = upward_;
  out.storage.assign(count, 1.0);
  // One face after the other: sections are small beside the grid.
  Points here(1);
  const auto look = [&](int axis, int label, const Point& place, Real u) {
    here.set(0, place);
    FaceSides::Value result{u, 0, 0};
    by_axis_[static_cast<std::size_t>(axis)]->evaluate(label, here, time, {&u, 1}, {&result.coefficient, 1},
                                                       {&result.slope, 1});
    return result;
  };
  for (std::size_t f = 0; f < count; ++f) {
    const BoundaryFace& face = section_.faces[f];
    for (int a = 0; a < grid_.dimension(); ++a) {
      const Real n = face.normal[grid_.direction(a)];
      if (n == 0) continue;
      const auto k = look(a, by_axis_[static_cast<std::size_t>(a)]->labels() > 1 ? labels_[f] : 0, places_[f],
                          on_boundary[f]);
      out.conductivity[f] += n * n * k.coefficient;
      out.conductivity_slope[f] += n * n * k.slope;
    }
    out.resistance[f] = contact_[f];
  }
  for (const Piece& piece : pieces_) {
    const auto f = static_cast<std::size_t>(piece.face);
    MaterialCoefficient& coefficient = *by_axis_[static_cast<std::size_t>(piece.axis)];
    const auto low = look(piece.axis, piece.label, piece.place, inside[f]),
               high = look(piece.axis, piece.label, piece.place, on_boundary[f]);
    // Both ends are known: a harmonic mean has half of the way beside each.
    for (const bool beside_low : {true, false}) {
      const FaceMean mean = coefficient.mean().of(
          {low, high, beside_low, inside[f] > on_boundary[f] + rise_[f], coefficient.integral(piece.label)});
      if (!(mean.value > 0)) {
        out.resistance[f] = no_conduction;
        continue;
      }
      const Real of_half = 0.5 * piece.weight / mean.value;
      out.resistance[f] += of_half;
      out.by_inside[f] -= of_half / mean.value * mean.by_low;
      out.by_boundary[f] -= of_half / mean.value * mean.by_high;
    }
  }
  for (std::size_t f = 0; f < count; ++f)
    if (!(out.resistance[f] < no_conduction)) {
      out.resistance[f] = no_conduction;
      out.by_inside[f] = out.by_boundary[f] = 0;
    }
}

}  // namespace williwaw
