#include "study/run/derived.hpp"

#include <algorithm>
#include <cmath>

#include "study/wording.hpp"
#include "williwaw/grid/field_operations.hpp"
#include "williwaw/grid/means_between.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/run_series.hpp"
#include "williwaw/study/run.hpp"
#include "williwaw/study/series_columns.hpp"

namespace williwaw::study {

Field field_by(const OfUnknowns& value, std::span<const Field> of, Real time) {
  const Grid& g = of.front().grid();
  Points places(g.count());
  for (Index n = 0; n < g.count(); ++n) places.set(n, g.point_of(n));
  std::vector<std::vector<Real>> unknowns;
  for (const Field& field : of) unknowns.push_back(field.values());
  std::vector<Real> values(static_cast<std::size_t>(g.count()));
  value(places, time, std::vector<std::span<const Real>>(unknowns.begin(), unknowns.end()), values);
  Field result(g, values);
  std::vector<Index> left_out;
  for (Index n = 0; n < g.count(); ++n)
    if (of.front().is_left_out(n)) left_out.push_back(n);
  result.leave_out(left_out);
  if (!std::ranges::all_of(of, &Field::knows_beyond)) return result;
  Points place(1);
  std::vector<Real> beside(of.size());
  std::vector<std::span<const Real>> there;
  for (const Real& v : beside) there.emplace_back(&v, 1);
  for (const Side side : g.sides())
    for (Index n = 0; n < g.count(); ++n) {
      auto at = g.position(n);
      const auto axis = static_cast<std::size_t>(side.axis);
      if (at[axis] != (side.upper ? g.size(side.axis) - 1 : 0) || of.front().is_left_out(n)) continue;
      Point on_side = g.point_of(n);
      const Axis& along = g.axis(side.axis);
      // A little inside, where the material is.
      on_side[g.direction(side.axis)] =
          (side.upper ? along.to() : along.from()) + (side.upper ? -1e-9 : 1e-9) * along.length();
      place.set(0, on_side);
      const auto inner = at;
      at[axis] += side.upper ? 1 : -1;
      for (std::size_t u = 0; u < of.size(); ++u)
        beside[u] = 0.5 * (of[u].at(inner[0], inner[1], inner[2]) + of[u].at(at[0], at[1], at[2]));
      Real value_there = 0;
      value(place, time, there, {&value_there, 1});
      result.at(at[0], at[1], at[2]) = 2 * value_there - values[static_cast<std::size_t>(n)];
    }
  result.extend_corners();
  result.set_knows_beyond(true);
  return result;
}

namespace {

DerivedField by_formula(const std::string& name, const store::Scale& scale, OfUnknowns value) {
  return {name, scale,
          [value = std::move(value)](const FieldsOfState& of) { return field_by(value, of.shown, of.time); }};
}

// What leaves each cell through its faces.
DerivedField divergence_of_faces(const casefile::VectorOfUnknowns& vector, const store::Scale& scale) {
  const auto from = [numbers = vector.components](const FieldsOfState& of) {
    const std::span<const Field> unknowns = of.at_unknowns();
    const Grid cells = unknowns[numbers.front()].grid().at_cells();
    FaceField flow(cells);
    for (int a = 0; a < cells.dimension(); ++a) {
      const Field& component = unknowns[numbers[static_cast<std::size_t>(a)]];
      const Index size = component.grid().size(a);
      std::array<Index, 3> extent{cells.size(0), cells.size(1), cells.size(2)};
      ++extent[static_cast<std::size_t>(a)];
      for (Index k = 0; k < extent[2]; ++k)
        for (Index j = 0; j < extent[1]; ++j)
          for (Index i = 0; i < extent[0]; ++i) {
            std::array<Index, 3> at{i, j, k};
            at[static_cast<std::size_t>(a)] %= size;  // across a seam the first one again
            flow.at(a, i, j, k) = component.at(at[0], at[1], at[2]);
          }
    }
    return divergence(flow);
  };
  return {store::divergence_name(vector.name), scale, from};
}

// What follows from the vectors of a case, as the reader of fields.nc makes it; of those on faces their
// divergence is written there itself.
std::vector<DerivedField> of_vectors(const Case& given) {
  std::vector<DerivedField> result;
  for (const casefile::VectorOfUnknowns& vector : given.vectors) {
    const auto from = [numbers = vector.components](Field (*part)(std::span<const Field>)) {
      return [numbers, part](const FieldsOfState& of) {
        std::vector<Field> components;
        for (const std::size_t c : numbers) components.push_back(of.shown[c]);
        return part(components);
      };
    };
    const store::Scale scale = scale_of(given, vector.components.front());
    const store::Scale slope = store::scale_of_slope(scale, given.length);
    result.push_back({vector.name, scale, from(magnitude_of)});
    if (!given.cells) result.push_back({store::divergence_name(vector.name), slope, from(divergence_of)});
    if (vector.components.size() == 2)
      result.push_back({vector.name + ".rotation", slope, from(rotation_of)});
  }
  return result;
}

}  // namespace

std::vector<DerivedField> derived_fields(const Case& given) {
  std::vector<DerivedField> result;
  for (const DerivedQuantity& d : given.problem.equation().derived)
    result.push_back(
        by_formula(d.name,
                   d.like_unknown             ? given.value
                   : given.value.unit.empty() ? store::Scale{}
                                              : store::Scale{"1", 1, 0},
                   [value = d.value](const Points& places, Real time, UnknownLines u, std::span<Real> out) {
                     value.evaluate(places, time, u.front(), out);
                   }));
  for (const int axis : given.fluxes)
    result.push_back({given.flux_name(axis), given.flux_scale, [axis](const FieldsOfState& of) {
                        return of.balance.flux_along(axis, of.y, of.time, 0);
                      }});
  for (const casefile::DerivedOfCase& d : given.derived)
    result.push_back(by_formula(d.name, d.scale, d.value));
  for (const casefile::VectorOfUnknowns& vector : given.vectors)
    if (given.cells)
      result.push_back(divergence_of_faces(
          vector, store::scale_of_slope(scale_of(given, vector.components.front()), given.length)));
  return result;
}

FieldsOfState fields_of(const Case& given, Discretization& balance, const State& y, Real time) {
  FieldsOfState result{balance, y, time};
  for (std::size_t u = 0; u < given.count(); ++u) result.shown.push_back(balance.field(y, time, u));
  if (!given.cells) return result;
  result.own = result.shown;
  for (Field& field : result.shown)
    if (!(field.grid().whole() == *given.cells)) field = at_cells(field);
  return result;
}

std::vector<Field> shown_fields(const Case& given, Discretization& balance, const State& y, Real time) {
  return fields_of(given, balance, y, time).shown;
}

std::vector<Sight> sights_of(const Case& given) {
  std::vector<Sight> result;
  for (std::size_t u = 0; u < given.count(); ++u)
    for (const casefile::Probe& probe : given.probes)
      if (probe.of.empty() || probe.of == given.unknown(u).problem.equation().unknown)
        result.push_back({&probe, label_of(given, u, probe.name), scale_of(given, u), u});
  std::vector<DerivedField> derived = derived_fields(given);
  std::ranges::move(of_vectors(given), std::back_inserter(derived));
  for (const casefile::Probe& probe : given.probes)
    for (const DerivedField& d : derived)
      if (probe.of == d.name)
        result.push_back({&probe, store::name_of_unknown(d.name, probe.name), d.scale, std::nullopt, d});
  return result;
}

}  // namespace williwaw::study
