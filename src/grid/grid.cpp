#include "williwaw/grid/grid.hpp"

#include <algorithm>
#include <cstdint>
#include <limits>
#include <utility>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {
const char* const side_names[3][2] = {{"west", "east"}, {"south", "north"}, {"bottom", "top"}};
}

Grid::Grid(std::vector<Axis> axes) : axes_(std::move(axes)) {
  if (axes_.empty() || axes_.size() > 3) throw InputError("a grid has one, two or three axes");
  if (axes_[0].name() == "r") {
    const bool round = axes_[0].coordinates() == Coordinates::cylindrical;
    if (axes_.size() > 2 || (axes_.size() == 2 && !(round && axes_[1].name() == "z")))
      throw InputError("beside r only z is possible (cylindrical coordinates)");
  }
  for (std::size_t a = 1; a < axes_.size(); ++a) {
    if (axes_[a].name() == "r") throw InputError("an axis r stands first");
    if (axes_[0].name() != "r" && axes_[a].name() <= axes_[a - 1].name())
      throw InputError("the axes of a grid come in the order x, y, z, each at most once");
  }
}

bool Grid::is_at_one_place() const {
  return std::ranges::all_of(axes_, [&](const Axis& a) { return a.unknowns() == axes_[0].unknowns(); });
}

Grid Grid::at_cells() const {
  std::vector<Axis> axes;
  for (const Axis& a : axes_) axes.push_back(a.with(Unknowns::cells));
  return Grid(std::move(axes));
}

Grid Grid::on_faces(int across) const {
  expect(across >= 0 && across < dimension(), "Grid::on_faces: one of its axes");
  std::vector<Axis> axes;
  for (int a = 0; a < dimension(); ++a)
    axes.push_back(axes_[static_cast<std::size_t>(a)].with(a == across ? Unknowns::nodes : Unknowns::cells));
  return Grid(std::move(axes));
}

Grid Grid::part(std::span<const Axis::Extent> extents) const {
  expect(static_cast<int>(extents.size()) == dimension(), "Grid::part: intervals of each axis");
  std::vector<Axis> axes;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const bool all = extents[a].first == 0 && extents[a].end == axes_[a].intervals() &&
                     extents[a].own_first == 0 && extents[a].own_end == extents[a].end;
    axes.push_back(all ? axes_[a] : axes_[a].part(extents[a]));
  }
  return Grid(std::move(axes));
}

bool Grid::is_part() const {
  return std::ranges::any_of(axes_, &Axis::is_part);
}

Grid Grid::whole() const {
  std::vector<Axis> axes;
  for (const Axis& a : axes_) axes.push_back(a.whole());
  return Grid(std::move(axes));
}

namespace {

// Quotient and rest. Long division takes several times as long, and loops over all unknowns ask for this.
std::pair<Index, Index> divided(Index number, Index by) {
  constexpr Index most = std::numeric_limits<std::uint32_t>::max();
  if (number > most || by > most) return {number / by, number % by};
  const auto n = static_cast<std::uint32_t>(number), b = static_cast<std::uint32_t>(by);
  return {n / b, n % b};
}

}  // namespace

std::array<Index, 3> Grid::position(Index number) const {
  expect(number >= 0 && number < count(), "Grid::position: an unknown of the grid");
  if (dimension() == 1) return {number, 0, 0};
  const auto [line, i] = divided(number, size(0));
  if (dimension() == 2) return {i, line, 0};
  const auto [k, j] = divided(line, size(1));
  return {i, j, k};
}

Point Grid::point(Index i, Index j, Index k) const {
  const std::array<Index, 3> at{i, j, k};
  Point p;
  for (int a = 0; a < dimension(); ++a) p[direction(a)] = axes_[a].points()[at[a]];
  return p;
}

Point Grid::point_of(Index number) const {
  const auto [i, j, k] = position(number);
  return point(i, j, k);
}

Real Grid::volume(Index i, Index j, Index k) const {
  const std::array<Index, 3> at{i, j, k};
  Real product = 1;
  for (int a = 0; a < dimension(); ++a) product *= axes_[a].measures()[at[a]];
  return product;
}

Real Grid::volume_of(Index number) const {
  const auto [i, j, k] = position(number);
  return volume(i, j, k);
}

Real Grid::volume() const {
  Real product = 1;
  for (const auto& axis : axes_) product *= axis.measure(axis.from(), axis.to());
  return product;
}

int Grid::volume_dimension() const {
  const Coordinates c = axes_[0].coordinates();
  return c == Coordinates::cartesian ? dimension() : c == Coordinates::spherical ? 3 : dimension() + 1;
}

std::vector<Side> Grid::sides() const {
  std::vector<Side> result;
  for (int a = 0; a < dimension(); ++a) {
    if (!axes_[a].starts_at_centre()) result.push_back({a, false});
    result.push_back({a, true});
  }
  return result;
}

std::string Grid::side_name(Side side) const {
  expect(side.axis >= 0 && side.axis < dimension(), "Grid: a side of one of its axes");
  if (axes_[side.axis].name() == "r") return side.upper ? "outer" : "inner";
  return side_names[direction(side.axis)][side.upper ? 1 : 0];
}

std::optional<Side> Grid::side(const std::string& name) const {
  for (const auto& s : sides())
    if (side_name(s) == name) return s;
  return std::nullopt;
}

std::vector<Index> Grid::unknowns_at(Side side) const {
  expect(side.axis >= 0 && side.axis < dimension(), "Grid: a side of one of its axes");
  if (!axes_[side.axis].ends(side.upper)) return {};
  std::array<Index, 3> low{0, 0, 0}, high{size(0), size(1), size(2)};
  low[side.axis] = side.upper ? size(side.axis) - 1 : 0;
  high[side.axis] = low[side.axis] + 1;
  std::vector<Index> result;
  for (Index k = low[2]; k < high[2]; ++k)
    for (Index j = low[1]; j < high[1]; ++j)
      for (Index i = low[0]; i < high[0]; ++i) result.push_back(number(i, j, k));
  return result;
}

Real Grid::boundary_area(Side side, Index unknown) const {
  expect(side.axis >= 0 && side.axis < dimension() && unknown >= 0 && unknown < count(),
         "Grid::wall_area: a side of one of its axes and an unknown");
  const auto at = position(unknown);
  const Axis& across = axes_[side.axis];
  Real product = across.area(side.upper ? across.to() : across.from());
  for (int a = 0; a < dimension(); ++a)
    if (a != side.axis) product *= axes_[a].measures()[at[a]];
  return product;
}

Points Grid::boundary_points(Side side) const {
  const auto touching = unknowns_at(side);
  Points result(static_cast<Index>(touching.size()));
  const Real boundary = side.upper ? axes_[side.axis].to() : axes_[side.axis].from();
  for (Index f = 0; f < result.size(); ++f) {
    Point p = point_of(touching[f]);
    p[direction(side.axis)] = boundary;
    result.set(f, p);
  }
  return result;
}

Real Grid::side_area(Side side) const {
  const Axis& across = axes_[side.axis];
  Real product = across.area(side.upper ? across.to() : across.from());
  for (int a = 0; a < dimension(); ++a)
    if (a != side.axis) product *= axes_[a].measure(axes_[a].from(), axes_[a].to());
  return product;
}

std::string Grid::place_text(const Point& place) const {
  std::string text;
  for (int a = 0; a < dimension(); ++a)
    text += (a == 0 ? "" : ", ") + axes_[a].name() + " = " + to_text(place[direction(a)]);
  return text;
}

Index Grid::containing(const Point& place) const {
  std::array<Index, 3> at{0, 0, 0};
  for (int a = 0; a < dimension(); ++a) {
    const Real position = place[direction(a)];
    const Axis& axis = axes_[a];
    const Real slack = 1e-12 * axis.length();
    if (!(position >= axis.from() - slack && position <= axis.to() + slack))
      throw InputError("the point lies outside the domain: " + axis.name() + " = " + to_text(position) +
                       " is not between " + to_text(axis.from()) + " and " + to_text(axis.to()));
    const auto bounds = axis.bounds();
    // Past the last bound of a periodic axis with nodes lies the first node's own volume again.
    const Real inside = position >= bounds.back() && axis.periodic() ? position - axis.length() : position;
    const auto above = std::upper_bound(bounds.begin(), bounds.end(), inside);
    at[a] = std::clamp<Index>(above - bounds.begin() - 1, 0, axis.size() - 1);
  }
  return number(at[0], at[1], at[2]);
}

bool Grid::operator==(const Grid& other) const {
  return std::equal(
      axes_.begin(), axes_.end(), other.axes_.begin(), other.axes_.end(), [](const Axis& a, const Axis& b) {
        return a.name() == b.name() && a.coordinates() == b.coordinates() && a.unknowns() == b.unknowns() &&
               a.periodic() == b.periodic() && std::ranges::equal(a.faces(), b.faces());
      });
}

}  // namespace williwaw
