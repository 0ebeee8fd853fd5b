#include "terms/diffusion/path.hpp"

#include <cmath>

namespace williwaw {

namespace {

HalfPath half(const Axis& axis, Real from, Real to, Real face) {
  const Real middle = 0.5 * (from + to), reach = 0.5 * (to - from) / std::sqrt(3.0);
  return {from,
          to,
          {axis.wrap(middle - reach), axis.wrap(middle + reach)},
          {axis.resistance(from, middle, face), axis.resistance(middle, to, face)}};
}

Point between(const Point& a, const Point& b, Real fraction) {
  return {a.x + fraction * (b.x - a.x), a.y + fraction * (b.y - a.y), a.z + fraction * (b.z - a.z)};
}

}  // namespace

std::vector<std::vector<HalfPath>> half_paths(const Axis& axis) {
  std::vector<std::vector<HalfPath>> result(static_cast<std::size_t>(axis.size()) + 1);
  for (Index f = 0; f <= axis.size(); ++f) {
    const bool first = f == 0, last = f == axis.size();
    const Real face = axis.bounds()[f];
    if (first && axis.starts_at_centre()) continue;
    if (!first || axis.periodic()) {
      const Real from = first ? axis.points().back() - axis.length() : axis.points()[f - 1];
      if (face > from) result[f].push_back(half(axis, from, face, face));
    }
    if (!last || axis.periodic()) {
      const Real to = last ? axis.points().front() + axis.length() : axis.points()[f];
      if (to > face) result[f].push_back(half(axis, face, to, face));
    }
  }
  return result;
}

Index face_number(const Grid& grid, int axis, Index i, Index j, Index k) {
  const Index nx = grid.size(0) + (axis == 0 ? 1 : 0), ny = grid.size(1) + (axis == 1 ? 1 : 0);
  return i + nx * (j + ny * k);
}

std::vector<Axis::Piece> pieces_across(const Grid& grid, int axis, Index i) {
  return axis < grid.dimension() ? grid.axis(axis).pieces(i) : std::vector<Axis::Piece>{{0, 1}};
}

Real measure_across(const Grid& grid, int axis, const Axis::Piece& piece) {
  return axis < grid.dimension()
             ? grid.axis(axis).measure(piece.centre - 0.5 * piece.width, piece.centre + 0.5 * piece.width)
             : 1.0;
}

std::vector<Change> changes(const Regions& regions, const Point& from, const Point& to, int count) {
  std::vector<Change> result;
  // A little inside, so that ends on an interface belong to the path.
  constexpr Real inset = 1e-7;
  const auto fraction_of = [&](int n) { return inset + (1 - 2 * inset) * n / count; };
  int label = regions.label(between(from, to, fraction_of(0)));
  for (int n = 1; n <= count; ++n) {
    const int next = regions.label(between(from, to, fraction_of(n)));
    if (next == label) continue;
    Real low = fraction_of(n - 1), high = fraction_of(n);
    for (int halving = 0; halving < 44; ++halving) {
      const Real middle = 0.5 * (low + high);
      (regions.label(between(from, to, middle)) == label ? low : high) = middle;
    }
    result.push_back({high, label, next});
    label = next;
  }
  return result;
}

Real contact_between(const Equation& equation, int first, int second) {
  Real sum = 0;
  for (const Contact& c : equation.contacts)
    if ((c.first == first && c.second == second) || (c.first == second && c.second == first))
      sum += c.resistance;
  return sum;
}

}  // namespace williwaw
