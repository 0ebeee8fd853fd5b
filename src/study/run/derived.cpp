#include "study/run/derived.hpp"

#include <cmath>

namespace williwaw::study {

std::vector<store::Quantity> derived_quantities(const Case& given) {
  std::vector<store::Quantity> result;
  for (const DerivedQuantity& d : given.problem.equation().derived)
    result.push_back({d.name, d.like_unknown             ? given.value
                              : given.value.unit.empty() ? store::Scale{}
                                                         : store::Scale{"1", 1, 0}});
  return result;
}

Field derived_field(const DerivedQuantity& quantity, const Field& of, Real time) {
  const Grid& g = of.grid();
  Points places(g.count());
  for (Index n = 0; n < g.count(); ++n) places.set(n, g.point_of(n));
  std::vector<Real> values(static_cast<std::size_t>(g.count()));
  quantity.value.evaluate(places, time, of.values(), values);
  Field result(g, values);
  std::vector<Index> left_out;
  for (Index n = 0; n < g.count(); ++n)
    if (of.is_left_out(n)) left_out.push_back(n);
  result.leave_out(left_out);
  if (!of.knows_beyond()) return result;
  // On sides, from the value that the unknown has there.
  for (const Side side : g.sides())
    for (Index n = 0; n < g.count(); ++n) {
      auto at = g.position(n);
      const auto axis = static_cast<std::size_t>(side.axis);
      if (at[axis] != (side.upper ? g.size(side.axis) - 1 : 0) || of.is_left_out(n)) continue;
      Point place = g.point_of(n);
      const Axis& along = g.axis(side.axis);
      place[g.direction(side.axis)] = side.upper ? along.to() : along.from();
      // A little inside, where the material is.
      Point inside = place;
      inside[g.direction(side.axis)] += (side.upper ? -1e-9 : 1e-9) * along.length();
      const Real inner = of.at(at[0], at[1], at[2]);
      at[axis] += side.upper ? 1 : -1;
      const Real on_side = quantity.value.at(inside, time, 0.5 * (inner + of.at(at[0], at[1], at[2])));
      result.at(at[0], at[1], at[2]) = 2 * on_side - values[static_cast<std::size_t>(n)];
    }
  result.extend_corners();
  result.set_knows_beyond(true);
  return result;
}

}  // namespace williwaw::study
