#include "williwaw/grid/field_operations.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

template <class Operation>
Field combined(const Field& a, const Field& b, const Operation& operation) {
  if (!(a.grid() == b.grid()))
    throw InputError("fields on different grids cannot be combined; resample one of them");
  Field result = a;
  result.set_knows_beyond(a.knows_beyond() && b.knows_beyond());
  std::vector<Real> raw(a.raw().begin(), a.raw().end());
  for (std::size_t n = 0; n < raw.size(); ++n) raw[n] = operation(raw[n], b.raw()[n]);
  result.set_raw(raw);
  return result;
}

// Calls visit(i, j, k) for every face across an axis.
template <class Visit>
void each_face(const Grid& g, int axis, const Visit& visit) {
  for (Index k = 0; k < g.size(2) + (axis == 2 ? 1 : 0); ++k)
    for (Index j = 0; j < g.size(1) + (axis == 1 ? 1 : 0); ++j)
      for (Index i = 0; i < g.size(0) + (axis == 0 ? 1 : 0); ++i) visit(i, j, k);
}

// Value beside a face: the halo where it lies beyond a side.
Real beside(const Field& f, int axis, Index i, Index j, Index k, bool above) {
  std::array<Index, 3> at{i, j, k};
  if (!above) --at[axis];
  return f.at(at[0], at[1], at[2]);
}

// Distance between the values on both sides of a face; at a side that to the halo (of cells: twice that to
// the side).
Real distance(const Axis& axis, Index face) {
  const Index size = axis.size();
  const bool boundary = !axis.periodic() && (face == 0 || face == size);
  if (!boundary) return axis.gaps()[face];
  return axis.unknowns() == Unknowns::cells ? 2 * axis.gaps()[face] : axis.gaps()[face == 0 ? 1 : size - 1];
}

// The slope at `position` of the parabola through three values, or of the line through two.
Real slope_through(std::span<const Real> places, std::span<const Real> values, Real position) {
  if (places.size() < 2) return 0;
  const Real first = (values[1] - values[0]) / (places[1] - places[0]);
  if (places.size() < 3) return first;
  const Real second = (values[2] - values[1]) / (places[2] - places[1]);
  return first + (second - first) / (places[2] - places[0]) * (2 * position - places[0] - places[1]);
}

// The slope on a side: through what is known on both sides of it, else from the three unknowns next to it.
Real slope_on_side(const Field& field, int a, std::array<Index, 3> face, bool upper) {
  const Axis& axis = field.grid().axis(a);
  const Index size = axis.size();
  std::array<Real, 3> places{}, values{};
  std::size_t count = 0;
  const auto take = [&](Index i) {
    face[static_cast<std::size_t>(a)] = i;
    const bool beyond = i < 0 || i >= size;
    places[count] = beyond ? field.place_beyond(a, upper) : axis.points()[i];
    values[count++] = field.at(face[0], face[1], face[2]);
  };
  const bool known = field.knows_beyond();
  const Index from = upper ? size - 1 : 0, inwards = upper ? -1 : 1;
  if (known) take(from - inwards);
  for (Index n = 0; n < (known ? 2 : 3) && n < size; ++n) take(from + n * inwards);
  const Real position = upper ? axis.to() : axis.from();
  // Of cells the side lies in the middle between the halo and the first unknown.
  if (known && axis.unknowns() == Unknowns::cells) return (values[1] - values[0]) / (places[1] - places[0]);
  return slope_through({places.data(), count}, {values.data(), count}, position);
}

// The value on a side, by the same rule.
Real value_on_side(const Field& field, int a, std::array<Index, 3> face, bool upper) {
  const Axis& axis = field.grid().axis(a);
  const Index last = axis.size() - 1, end = upper ? last : 0;
  const auto value = [&](Index i) {
    face[static_cast<std::size_t>(a)] = i;
    return field.at(face[0], face[1], face[2]);
  };
  if (axis.unknowns() == Unknowns::nodes || last == 0) return value(end);
  if (field.knows_beyond()) return 0.5 * (value(end) + value(upper ? last + 1 : -1));
  const Index next = upper ? last - 1 : 1;
  const Real fraction =
      ((upper ? axis.to() : axis.from()) - axis.points()[end]) / (axis.points()[next] - axis.points()[end]);
  return value(end) + fraction * (value(next) - value(end));
}

bool on_side(const Axis& axis, Index face) {
  return !axis.periodic() && (face == 0 || face == axis.size());
}

}  // namespace

Field operator+(const Field& a, const Field& b) {
  return combined(a, b, [](Real x, Real y) { return x + y; });
}
Field operator-(const Field& a, const Field& b) {
  return combined(a, b, [](Real x, Real y) { return x - y; });
}
Field operator*(const Field& a, const Field& b) {
  return combined(a, b, [](Real x, Real y) { return x * y; });
}
Field operator/(const Field& a, const Field& b) {
  return combined(a, b, [](Real x, Real y) { return x / y; });
}
Field operator+(const Field& a, Real b) {
  return applied(a, [b](Real x) { return x + b; });
}
Field operator-(const Field& a, Real b) {
  return applied(a, [b](Real x) { return x - b; });
}
Field operator*(const Field& a, Real b) {
  return applied(a, [b](Real x) { return x * b; });
}
Field operator/(const Field& a, Real b) {
  return applied(a, [b](Real x) { return x / b; });
}
Field operator+(Real a, const Field& b) {
  return b + a;
}
Field operator-(Real a, const Field& b) {
  return applied(b, [a](Real x) { return a - x; });
}
Field operator*(Real a, const Field& b) {
  return b * a;
}
Field operator-(const Field& a) {
  return applied(a, [](Real x) { return -x; });
}

Field applied(const Field& field, const std::function<Real(Real)>& f) {
  Field result = field;
  std::vector<Real> raw(field.raw().begin(), field.raw().end());
  for (Real& v : raw) v = f(v);
  result.set_raw(raw);
  return result;
}

Field sample(const Grid& grid, const std::function<Real(const Point&)>& f) {
  Field result(grid);
  for (Index n = 0; n < grid.count(); ++n) result[n] = f(grid.point_of(n));
  result.extend();
  // The function knows what lies beyond sides.
  const auto place = [&](int a, Index i) {
    const Axis& axis = grid.axis(a);
    if (i >= 0 && i < axis.size()) return axis.points()[i];
    return axis.periodic() ? axis.points()[i < 0 ? axis.size() - 1 : 0]
                           : result.place_beyond(a, i >= axis.size());
  };
  std::array<Index, 3> low{0, 0, 0}, high{grid.size(0), grid.size(1), grid.size(2)};
  for (int a = 0; a < grid.dimension(); ++a) {
    low[static_cast<std::size_t>(a)] = -1;
    ++high[static_cast<std::size_t>(a)];
  }
  for (Index k = low[2]; k < high[2]; ++k)
    for (Index j = low[1]; j < high[1]; ++j)
      for (Index i = low[0]; i < high[0]; ++i) {
        const std::array<Index, 3> at{i, j, k};
        bool beyond = false;
        Point p;
        for (int a = 0; a < grid.dimension(); ++a) {
          const Index n = at[static_cast<std::size_t>(a)];
          beyond = beyond || n < 0 || n >= grid.size(a);
          p[grid.direction(a)] = place(a, n);
        }
        if (beyond) result.at(i, j, k) = f(p);
      }
  result.set_knows_beyond(true);
  return result;
}

Field VectorField::magnitude() const {
  return magnitude_of(components);
}

FaceField::FaceField(Grid grid) : grid_(std::move(grid)) {
  for (int a = 0; a < grid_.dimension(); ++a) {
    std::size_t count = 1;
    for (int b = 0; b < 3; ++b) count *= static_cast<std::size_t>(grid_.size(b) + (b == a ? 1 : 0));
    values_[a].assign(count, 0.0);
  }
}

FaceField face_gradient(const Field& field) {
  const Grid& g = field.grid();
  FaceField result(g);
  for (int a = 0; a < g.dimension(); ++a)
    each_face(g, a, [&](Index i, Index j, Index k) {
      const Index face = std::array{i, j, k}[static_cast<std::size_t>(a)];
      if (on_side(g.axis(a), face)) {
        result.at(a, i, j, k) = slope_on_side(field, a, {i, j, k}, face > 0);
        return;
      }
      result.at(a, i, j, k) =
          (beside(field, a, i, j, k, true) - beside(field, a, i, j, k, false)) / distance(g.axis(a), face);
    });
  return result;
}

VectorField gradient(const Field& field) {
  const Grid& g = field.grid();
  const FaceField slopes = face_gradient(field);
  VectorField result(g);
  for (int a = 0; a < g.dimension(); ++a) {
    const Axis& axis = g.axis(a);
    for (Index n = 0; n < g.count(); ++n) {
      const auto at = g.position(n);
      auto up = at;
      ++up[a];
      const Real low = slopes.at(a, at[0], at[1], at[2]), high = slopes.at(a, up[0], up[1], up[2]);
      const bool boundary = !axis.periodic() && axis.unknowns() == Unknowns::nodes;
      if (boundary && (at[a] == 0 || at[a] == axis.size() - 1)) {
        result[a][n] = at[a] == 0 ? low : high;  // the slope on the side itself
        continue;
      }
      const Real before = distance(axis, at[a]), after = distance(axis, up[a]);
      result[a][n] = (after * low + before * high) / (before + after);
    }
    result[a].extend();
  }
  return result;
}

Field divergence(const FaceField& flow) {
  const Grid& g = flow.grid();
  Field result(g);
  for (Index n = 0; n < g.count(); ++n) {
    const auto at = g.position(n);
    for (int a = 0; a < g.dimension(); ++a) {
      const Axis& axis = g.axis(a);
      auto up = at;
      ++up[a];
      result[n] += (axis.area(axis.bounds()[up[a]]) * flow.at(a, up[0], up[1], up[2]) -
                    axis.area(axis.bounds()[at[a]]) * flow.at(a, at[0], at[1], at[2])) /
                   axis.measures()[at[a]];
    }
  }
  result.extend();
  return result;
}

Field divergence(const VectorField& field) {
  return divergence(interpolate_to_faces(field));
}

Field laplacian(const Field& field) {
  return divergence(face_gradient(field));
}

FaceField interpolate_to_faces(const VectorField& field) {
  const Grid& g = field.grid();
  FaceField result(g);
  for (int a = 0; a < g.dimension(); ++a)
    each_face(g, a, [&](Index i, Index j, Index k) {
      if (const Index face = std::array{i, j, k}[static_cast<std::size_t>(a)]; on_side(g.axis(a), face)) {
        result.at(a, i, j, k) = value_on_side(field[a], a, {i, j, k}, face > 0);
        return;
      }
      result.at(a, i, j, k) =
          0.5 * (beside(field[a], a, i, j, k, true) + beside(field[a], a, i, j, k, false));
    });
  return result;
}

VectorField at_unknowns(const FaceField& field) {
  const Grid& g = field.grid();
  VectorField result(g);
  for (int a = 0; a < g.dimension(); ++a) {
    for (Index n = 0; n < g.count(); ++n) {
      const auto at = g.position(n);
      auto up = at;
      ++up[a];
      result[a][n] = 0.5 * (field.at(a, at[0], at[1], at[2]) + field.at(a, up[0], up[1], up[2]));
    }
    result[a].extend();
  }
  return result;
}

namespace {

// The derivative along an axis: between the faces of cells, on whose boundaries the halo
// tells the values, or between the neighbours of nodes.
Field slope_along(const Field& f, int axis) {
  const Grid& g = f.grid();
  const Axis& along = g.axis(axis);
  const auto points = along.points();
  const bool cells = g.unknowns() == Unknowns::cells;
  Field result(g);
  for (Index n = 0; n < g.count(); ++n) {
    auto at = g.position(n);
    const auto a = static_cast<std::size_t>(axis);
    const Index i = at[a], last = along.size() - 1;
    const auto value = [&](Index step) {
      auto there = at;
      there[a] += step;
      return f.at(there[0], there[1], there[2]);
    };
    const bool wraps = along.periodic();
    if (cells) {
      // Values on faces, weighted by the widths of the cells beside them.
      const auto on_face = [&](Index step) {
        const Index other = i + step;
        const bool inside = wraps || (other >= 0 && other <= last);
        if (!inside) return 0.5 * (f[n] + value(step));
        const Real own = along.widths()[i],
                   next = along.widths()[wraps ? (other + along.size()) % along.size() : other];
        return (f[n] * next + value(step) * own) / (own + next);
      };
      result[n] = (on_face(1) - on_face(-1)) / along.widths()[i];
      continue;
    }
    const Index below = i > 0 || wraps ? -1 : 0, above = i < last || wraps ? 1 : 0;
    const Real seam = along.length();
    const auto place = [&](Index step) {
      const Index other = i + step;
      return other < 0 ? points[last] - seam : other > last ? points[0] + seam : points[other];
    };
    result[n] = (value(above) - value(below)) / (place(above) - place(below));
  }
  std::vector<Index> gone;
  for (Index n = 0; n < g.count(); ++n)
    if (f.is_left_out(n)) gone.push_back(n);
  result.leave_out(gone);
  if (gone.empty()) result.extend();
  return result;
}

}  // namespace

Field magnitude_of(std::span<const Field> components) {
  Field result = components.front();
  // Halos too, from which boundaries are drawn.
  std::vector<Real> numbers(result.raw().size(), 0.0);
  for (std::size_t n = 0; n < numbers.size(); ++n) {
    for (const Field& c : components) numbers[n] += c.raw()[n] * c.raw()[n];
    numbers[n] = std::sqrt(numbers[n]);
  }
  result.set_raw(numbers);
  return result;
}

Field divergence_of(std::span<const Field> components) {
  Field result = slope_along(components.front(), 0);
  for (std::size_t c = 1; c < components.size(); ++c) {
    const Field slope = slope_along(components[c], static_cast<int>(c));
    for (Index n = 0; n < result.grid().count(); ++n) result[n] += slope[n];
  }
  result.extend();
  return result;
}

Field rotation_of(std::span<const Field> components) {
  Field result = slope_along(components[1], 0);
  const Field across = slope_along(components[0], 1);
  for (Index n = 0; n < result.grid().count(); ++n) result[n] -= across[n];
  result.extend();
  return result;
}

}  // namespace williwaw
