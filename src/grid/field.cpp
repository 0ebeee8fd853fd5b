#include "williwaw/grid/field.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace williwaw {

Field::Field(Grid grid, Real value) : grid_(std::move(grid)) {
  for (int a = 0; a < 3; ++a) depth_[a] = a < grid_.dimension() ? 1 : 0;
  pitch_ = grid_.size(0) + 2;
  rows_ = grid_.size(1) + 2 * depth_[1];
  data_.assign(raw_size(grid_), value);
}

std::size_t Field::raw_size(const Grid& grid) {
  Index count = 1;
  for (int a = 0; a < 3; ++a) count *= grid.size(a) + (a < grid.dimension() ? 2 : 0);
  return static_cast<std::size_t>(count);
}

Field::Field(Grid grid, std::span<const Real> values) : Field(std::move(grid)) {
  assign(values);
  extend();
}

Real Field::operator[](Index number) const {
  const auto [i, j, k] = grid_.position(number);
  return at(i, j, k);
}

Real& Field::operator[](Index number) {
  const auto [i, j, k] = grid_.position(number);
  return at(i, j, k);
}

std::vector<Real> Field::values() const {
  std::vector<Real> result;
  result.reserve(static_cast<std::size_t>(size()));
  for (Index k = 0; k < grid_.size(2); ++k)
    for (Index j = 0; j < grid_.size(1); ++j) {
      const auto row = data_.begin() + offset(0, j, k);
      result.insert(result.end(), row, row + grid_.size(0));
    }
  return result;
}

void Field::assign(std::span<const Real> values) {
  if (static_cast<Index>(values.size()) != size())
    throw InputError("a field on this grid has " + std::to_string(size()) + " values, but " +
                     std::to_string(values.size()) + " were given");
  const Real* from = values.data();
  for (Index k = 0; k < grid_.size(2); ++k)
    for (Index j = 0; j < grid_.size(1); ++j, from += grid_.size(0))
      std::copy(from, from + grid_.size(0), data_.begin() + offset(0, j, k));
}

void Field::leave_out(std::span<const Index> numbers) {
  if (numbers.empty()) return;
  left_out_.assign(static_cast<std::size_t>(size()), 0);
  for (const Index n : numbers) {
    expect(n >= 0 && n < size(), "Field::leave_out: unknowns of the grid");
    left_out_[static_cast<std::size_t>(n)] = 1;
    (*this)[n] = std::numeric_limits<Real>::quiet_NaN();
  }
  extend();
}

void Field::set_raw(std::span<const Real> data) {
  if (data.size() != data_.size())
    throw InputError("a field on this grid has " + std::to_string(data_.size()) +
                     " numbers with its halo, but " + std::to_string(data.size()) + " were given");
  data_.assign(data.begin(), data.end());
}

Real Field::place_beyond(int a, bool upper) const {
  const Axis& axis = grid_.axis(a);
  const auto points = axis.points();
  const Index last = axis.size() - 1;
  if (axis.periodic()) return upper ? points[0] + axis.length() : points[last] - axis.length();
  if (axis.unknowns() == Unknowns::cells)
    return 2 * (upper ? axis.to() : axis.from()) - points[upper ? last : 0];
  const Index beside = upper ? std::max<Index>(last - 1, 0) : std::min<Index>(1, last);
  return 2 * points[upper ? last : 0] - points[beside];
}

void Field::extend() {
  knows_beyond_ = false;
  const std::array<Index, 3> n{grid_.size(0), grid_.size(1), grid_.size(2)};
  // Axis after axis over everything already filled, so that edges and corners are filled too.
  for (int a = 0; a < grid_.dimension(); ++a) {
    std::array<Index, 3> low{0, 0, 0}, high = n;
    for (int b = 0; b < a; ++b) {
      low[b] = -1;
      high[b] = n[b] + 1;
    }
    high[a] = 1;
    const bool periodic = grid_.axis(a).periodic();
    for (Index k = low[2]; k < high[2]; ++k)
      for (Index j = low[1]; j < high[1]; ++j)
        for (Index i = low[0]; i < high[0]; ++i) {
          std::array<Index, 3> to{i, j, k}, from{i, j, k};
          to[a] = -1;
          from[a] = periodic ? n[a] - 1 : 0;
          at(to[0], to[1], to[2]) = at(from[0], from[1], from[2]);
          to[a] = n[a];
          from[a] = periodic ? 0 : n[a] - 1;
          at(to[0], to[1], to[2]) = at(from[0], from[1], from[2]);
        }
  }
}

void Field::extend_corners() {
  const std::array<Index, 3> n{grid_.size(0), grid_.size(1), grid_.size(2)};
  for (Index k = -depth_[2]; k < n[2] + depth_[2]; ++k)
    for (Index j = -depth_[1]; j < n[1] + depth_[1]; ++j)
      for (Index i = -1; i <= n[0]; ++i) {
        const std::array<Index, 3> place{i, j, k};
        std::array<Index, 3> inside{0, 0, 0};
        int outside = 0;
        for (int a = 0; a < grid_.dimension(); ++a) {
          inside[a] = std::clamp<Index>(place[a], 0, n[a] - 1);
          if (inside[a] != place[a] && !grid_.axis(a).periodic()) ++outside;
        }
        if (outside == 0 && i == 0 && n[0] > 2) i = n[0] - 2;  // nothing to fill along the inside of a line
        if (outside < 2) continue;
        const Real base = at(inside[0], inside[1], inside[2]);
        Real value = base;
        for (int a = 0; a < grid_.dimension(); ++a) {
          auto one = inside;
          one[a] = place[a];
          value += at(one[0], one[1], one[2]) - base;
        }
        at(i, j, k) = value;
      }
}

Real Field::sample(const Point& place) const {
  grid_.containing(place);  // says so if the place is outside
  std::array<Index, 3> low{0, 0, 0};
  std::array<Real, 3> fraction{0, 0, 0};
  for (int a = 0; a < grid_.dimension(); ++a) {
    const Axis& axis = grid_.axis(a);
    const auto points = axis.points();
    const Real position = place[grid_.direction(a)];
    Index above = std::upper_bound(points.begin(), points.end(), position) - points.begin();
    // Where nothing is known of what lies beyond, the last two values go on linearly.
    if (!knows_beyond_ && !axis.periodic() && left_out_.empty() && axis.size() > 1)
      above = std::clamp<Index>(above, 1, axis.size() - 1);
    low[a] = above - 1;
    // Beyond the end unknowns the next value is the halo's: mirrored at a boundary, one period away at a
    // seam.
    const auto where = [&](Index i) {
      if (i >= 0 && i < axis.size()) return points[i];
      const Index end = i < 0 ? 0 : axis.size() - 1;
      if (axis.periodic()) return points[axis.size() - 1 - end] + (i < 0 ? -axis.length() : axis.length());
      return 2 * (i < 0 ? axis.from() : axis.to()) - points[end];
    };
    const Real gap = where(above) - where(above - 1);
    fraction[a] = gap > 0 ? (position - where(above - 1)) / gap : 0;
  }
  // Where the domain is cut out there is no value: corners that have one share the weight of those that do
  // not.
  Real sum = 0, counted = 0;
  for (int corner = 0; corner < (1 << grid_.dimension()); ++corner) {
    Real weight = 1;
    std::array<Index, 3> at_corner = low;
    for (int a = 0; a < grid_.dimension(); ++a) {
      const bool upper = (corner >> a) & 1;
      weight *= upper ? fraction[a] : 1 - fraction[a];
      at_corner[a] += upper ? 1 : 0;
    }
    // A weight of zero may stand on a corner that the halo does not reach.
    if (weight == 0) continue;
    const Real value = at(at_corner[0], at_corner[1], at_corner[2]);
    if (std::isnan(value)) continue;
    sum += weight * value;
    counted += weight;
  }
  return counted > 0 ? sum / counted : std::numeric_limits<Real>::quiet_NaN();
}

Real Field::lowest() const {
  Real result = std::numeric_limits<Real>::infinity();
  for (const Real v : values()) result = std::fmin(result, v);
  return result;
}

Real Field::highest() const {
  Real result = -std::numeric_limits<Real>::infinity();
  for (const Real v : values()) result = std::fmax(result, v);
  return result;
}

Real Field::integral() const {
  Real sum = 0;
  for (Index n = 0; n < size(); ++n)
    if (!is_left_out(n)) sum += grid_.volume_of(n) * (*this)[n];
  return sum;
}

Real Field::mean() const {
  Real volume = 0;
  for (Index n = 0; n < size(); ++n)
    if (!is_left_out(n)) volume += grid_.volume_of(n);
  return integral() / volume;
}

Real Field::on_boundary(const std::array<Index, 3>& at, Side side) const {
  const Real inside = this->at(at[0], at[1], at[2]);
  if (grid_.unknowns() == Unknowns::nodes) return inside;
  auto beyond = at;
  beyond[static_cast<std::size_t>(side.axis)] += side.upper ? 1 : -1;
  return 0.5 * (inside + this->at(beyond[0], beyond[1], beyond[2]));
}

Norms Field::measure(const std::function<Real(Index)>& value) const {
  Norms result;
  Real volume = 0;
  for (Index n = 0; n < size(); ++n) {
    // A value that is no number counts, unless the place is cut out.
    if (is_left_out(n)) continue;
    const Real v = std::abs(value(n));
    const Real weight = grid_.volume_of(n);
    volume += weight;
    result.l1 += weight * v;
    result.l2 += weight * v * v;
    if (v > result.max || (std::isnan(v) && !std::isnan(result.max))) {  // a NaN is kept, not passed over
      result.max = v;
      result.where = n;
    }
  }
  result.l1 /= volume;
  result.l2 = std::sqrt(result.l2 / volume);
  return result;
}

Norms Field::norms() const {
  return measure([&](Index n) { return (*this)[n]; });
}

Norms Field::difference(const std::function<Real(const Point&)>& reference) const {
  return measure([&](Index n) { return (*this)[n] - reference(grid_.point_of(n)); });
}

Norms Field::difference(const Field& other) const {
  if (!(other.grid_ == grid_)) throw InputError("fields on different grids cannot be subtracted");
  return measure([&](Index n) { return (*this)[n] - other[n]; });
}

}  // namespace williwaw
