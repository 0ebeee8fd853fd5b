#include "williwaw/grid/axis.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <numbers>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

std::string to_text(Real value) {
  char text[32];
  std::snprintf(text, sizeof text, "%.6g", value);
  return text;
}

Axis::Axis(std::string name, std::vector<Real> faces, Unknowns unknowns, bool periodic)
    : name_(std::move(name)), unknowns_(unknowns), periodic_(periodic), lines_(std::make_shared<Lines>()) {
  lines_->faces = std::move(faces);
  const std::vector<Real>& placed = lines_->faces;
  if (name_ != "x" && name_ != "y" && name_ != "z" && name_ != "r")
    throw InputError("axis '" + name_ + "': an axis is called x, y or z, or r where coordinates are round");
  if (placed.size() < 2) throw InputError("axis " + name_ + ": one interval at least is needed");
  for (std::size_t i = 0; i < placed.size(); ++i) {
    if (!std::isfinite(placed[i])) throw InputError("axis " + name_ + ": positions must be finite numbers");
    if (i > 0 && placed[i] <= placed[i - 1])
      throw InputError("axis " + name_ + ": positions must increase from one end to the other");
  }
  if (periodic_ && intervals() < 3)
    throw InputError("axis " + name_ + ": a periodic axis needs three intervals at least");
  const Real mean = length() / static_cast<Real>(intervals());
  uniform_ = true;
  // Marks carry the rounding of their own size, which matters far from the origin.
  const Real slack = 1e-12 * mean + 8e-16 * std::max(std::abs(from()), std::abs(to()));
  for (std::size_t i = 1; i < placed.size(); ++i)
    uniform_ = uniform_ && std::abs(placed[i] - placed[i - 1] - mean) <= slack;
  if (unknowns_ == Unknowns::cells)
    place_cells();
  else
    place_nodes();
  if (uniform_) even_out(mean);
  extent_ = {0, intervals(), 0, intervals()};
}

Axis Axis::radial(Coordinates coordinates, std::vector<Real> faces, Unknowns unknowns) {
  Axis axis("r", std::move(faces), unknowns);
  if (axis.from() < 0) throw InputError("axis r: a distance from the centre cannot lie below 0");
  axis.power_ = coordinates == Coordinates::cylindrical ? 1 : coordinates == Coordinates::spherical ? 2 : 0;
  if (axis.power_ == 0) throw InputError("axis r: coordinates must be cylindrical or spherical");
  axis.measure_turn();
  return axis;
}

Axis Axis::with(Unknowns unknowns) const {
  if (unknowns == unknowns_) return *this;
  if (is_part()) return whole().with(unknowns).part(extent_);
  return power_ == 0 ? Axis(name_, lines_->faces, unknowns, periodic_)
                     : radial(coordinates(), lines_->faces, unknowns);
}

Axis Axis::part(const Extent& extent) const {
  expect(!is_part(), "Axis::part: of a whole axis");
  expect(extent.first <= extent.own_first && extent.own_first < extent.own_end &&
             extent.own_end <= extent.end && 0 <= extent.own_first && extent.own_end <= intervals(),
         "Axis::part: own intervals within those of the part, and within the axis");
  if (periodic_) return part_around(extent);
  expect(0 <= extent.first && extent.end <= intervals(), "Axis::part: intervals of the axis");
  return part_of(extent, 0, extent.first, extent.end + (unknowns_ == Unknowns::nodes ? 1 : 0));
}

// With the unknown after the last interval, as many at nodes as at cells, like on the whole axis.
Axis Axis::part_around(const Extent& extent) const {
  const Index all = intervals(), below = std::max<Index>(0, -extent.first),
              above = std::max<Index>(0, extent.end - all);
  expect(extent.end - extent.first + 1 < all && (below == 0 || above == 0),
         "Axis::part: an interval is left out between both ends");
  if (below > 0) return part_of(extent, extent.end + 1, all - below, all);
  if (above > 0) return part_of(extent, above + 1, extent.first, all);
  return part_of(extent, 0, extent.first, extent.end + 1);
}

// The first so many unknowns of the axis, then those from `tail` to `end` - 1.
Axis Axis::part_of(const Extent& extent, Index head, Index tail, Index end) const {
  Axis result = *this;
  result.whole_ = std::make_shared<const Axis>(*this);
  result.extent_ = extent;
  result.head_ = head;
  result.beyond_head_ = tail - head;
  auto lines = std::make_shared<Lines>();
  const auto some = [&](const std::vector<Real>& of_all, Index more) {
    if (of_all.empty()) return std::vector<Real>();
    std::vector<Real> values(of_all.begin(), of_all.begin() + head);
    values.insert(values.end(), of_all.begin() + tail, of_all.begin() + end + more);
    return values;
  };
  lines->points = some(lines_->points, 0);
  lines->widths = some(lines_->widths, 0);
  lines->measures = some(lines_->measures, 0);
  lines->gaps = some(lines_->gaps, 1);
  lines->bounds = some(lines_->bounds, 1);
  lines->resistances = some(lines_->resistances, 1);
  // Of nodes that are not periodic there is one more than intervals.
  lines->faces = some(lines_->faces, unknowns_ == Unknowns::nodes && !periodic_ ? 0 : 1);
  result.lines_ = std::move(lines);
  return result;
}

std::optional<Index> Axis::here(Index there) const {
  if (there < head_) return there;
  const Index here = there - beyond_head_;
  if (here < head_ || here >= size()) return std::nullopt;
  return here;
}

RowRange Axis::halo(bool upper) const {
  // What is left out has its place behind the upper halo.
  const Index spare = is_part() && periodic_ && unknowns_ == Unknowns::cells ? 1 : 0;
  if (head_ == 0) return upper ? RowRange{own_end(), size() - spare} : RowRange{0, own_first()};
  if (own_below_seam()) return upper ? RowRange{own_end(), head_ - spare} : RowRange{head_, size()};
  return upper ? RowRange{0, head_ - spare} : RowRange{head_, own_first()};
}

Index Axis::own_end() const {
  // The last node belongs to the box that has the last interval.
  const bool last = unknowns_ == Unknowns::nodes && !periodic_ && extent_.own_end == whole().intervals();
  return extent_.own_end - first() + (last ? 1 : 0);
}

Real Axis::area(Real s) const {
  return power_ == 0 ? 1 : power_ == 1 ? 2 * std::numbers::pi * s : 4 * std::numbers::pi * s * s;
}

Real Axis::measure(Real a, Real b) const {
  if (power_ == 0) return b - a;
  if (power_ == 1) return std::numbers::pi * (b - a) * (b + a);
  return 4 * std::numbers::pi / 3 * (b - a) * (a * a + a * b + b * b);
}

Real Axis::resistance(Real a, Real b, Real face) const {
  if (power_ == 0) return b - a;
  if (starts_at_centre()) return (b - a) / area(face);
  if (power_ == 1) return std::log(b / a) / (2 * std::numbers::pi);
  return (b - a) / (4 * std::numbers::pi * a * b);
}

void Axis::measure_turn() {
  lines_->measures.reserve(lines_->widths.size());
  lines_->resistances.reserve(lines_->gaps.size());
  const auto ends = bounds(), places = points();
  for (Index i = 0; i < size(); ++i) lines_->measures.push_back(measure(ends[i], ends[i + 1]));
  for (Index f = 0; f <= size(); ++f) {
    const Real low = f == 0 ? ends[0] : places[f - 1], high = f == size() ? ends[f] : places[f];
    // Nothing crosses r = 0.
    lines_->resistances.push_back(f == 0 && starts_at_centre() ? 0 : resistance(low, high, ends[f]));
  }
}

// Widths and gaps of a uniform axis are alike to the last digit, so that kernels may use one number for all
// of them and totals still close.
void Axis::even_out(Real spacing) {
  auto &widths = lines_->widths, &gaps = lines_->gaps;
  const bool cells = unknowns_ == Unknowns::cells;
  std::fill(widths.begin(), widths.end(), spacing);
  std::fill(gaps.begin(), gaps.end(), spacing);
  if (periodic_) return;
  gaps.front() = gaps.back() = cells ? 0.5 * spacing : 0;
  if (!cells) widths.front() = widths.back() = 0.5 * spacing;
}

Axis Axis::uniform(std::string name, Real from, Real to, Index intervals, Unknowns unknowns, bool periodic) {
  if (intervals < 1) throw InputError("axis " + name + ": one interval at least is needed");
  if (!(to > from)) throw InputError("axis " + name + ": 'to' must lie above 'from'");
  std::vector<Real> faces(static_cast<std::size_t>(intervals) + 1);
  for (Index i = 0; i <= intervals; ++i)
    faces[i] = from + (to - from) * static_cast<Real>(i) / static_cast<Real>(intervals);
  faces.back() = to;
  return {std::move(name), std::move(faces), unknowns, periodic};
}

void Axis::place_cells() {
  const Index n = intervals();
  const auto& faces = lines_->faces;
  auto &points = lines_->points, &widths = lines_->widths, &gaps = lines_->gaps;
  points.reserve(static_cast<std::size_t>(n));
  widths.reserve(static_cast<std::size_t>(n));
  gaps.resize(n + 1);
  for (Index i = 0; i < n; ++i) {
    widths.push_back(faces[i + 1] - faces[i]);
    points.push_back(0.5 * (faces[i] + faces[i + 1]));
  }
  for (Index i = 1; i < n; ++i) gaps[i] = points[i] - points[i - 1];
  const Real seam = 0.5 * (widths.front() + widths.back());
  gaps.front() = periodic_ ? seam : 0.5 * widths.front();
  gaps.back() = periodic_ ? seam : 0.5 * widths.back();
}

void Axis::place_nodes() {
  const Index n = intervals();
  const auto& faces = lines_->faces;
  auto &points = lines_->points, &bounds = lines_->bounds, &widths = lines_->widths, &gaps = lines_->gaps;
  points.assign(faces.begin(), faces.end() - (periodic_ ? 1 : 0));
  const Real last = faces[n] - faces[n - 1];
  bounds.reserve(points.size() + 1);
  widths.reserve(points.size());
  bounds.push_back(periodic_ ? faces[0] - 0.5 * last : faces[0]);
  for (Index i = 1; i < size(); ++i) bounds.push_back(0.5 * (faces[i - 1] + faces[i]));
  bounds.push_back(periodic_ ? faces[n] - 0.5 * last : faces[n]);
  for (Index i = 0; i < size(); ++i) widths.push_back(bounds[i + 1] - bounds[i]);
  gaps.resize(size() + 1);
  for (Index i = 1; i < size(); ++i) gaps[i] = points[i] - points[i - 1];
  gaps.front() = periodic_ ? last : 0;
  gaps.back() = periodic_ ? last : 0;
}

std::vector<Axis::Piece> Axis::pieces(Index i) const {
  expect(i >= 0 && i < size(), "Axis::pieces: an unknown of the axis");
  if (unknowns_ == Unknowns::cells) return {{points()[i], widths()[i]}};
  std::vector<Piece> result;
  for (const auto& [low, high] :
       {std::pair{bounds()[i], points()[i]}, std::pair{points()[i], bounds()[i + 1]}})
    if (high > low) result.push_back({wrap(0.5 * (low + high)), high - low});
  return result;
}

}  // namespace williwaw
