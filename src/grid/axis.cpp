#include "williwaw/grid/axis.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <numbers>

namespace williwaw {

std::string to_text(Real value) {
  char text[32];
  std::snprintf(text, sizeof text, "%.6g", value);
  return text;
}

Axis::Axis(std::string name, std::vector<Real> marks, Unknowns unknowns, bool periodic)
    : name_(std::move(name)), unknowns_(unknowns), periodic_(periodic), marks_(std::move(marks)) {
  if (name_ != "x" && name_ != "y" && name_ != "z" && name_ != "r")
    throw InputError("axis '" + name_ + "': an axis is called x, y or z, or r where coordinates are round");
  if (marks_.size() < 2) throw InputError("axis " + name_ + ": one interval at least is needed");
  for (std::size_t i = 0; i < marks_.size(); ++i) {
    if (!std::isfinite(marks_[i])) throw InputError("axis " + name_ + ": positions must be finite numbers");
    if (i > 0 && marks_[i] <= marks_[i - 1])
      throw InputError("axis " + name_ + ": positions must increase from one end to the other");
  }
  if (periodic_ && intervals() < 3)
    throw InputError("axis " + name_ + ": a periodic axis needs three intervals at least");
  const Real mean = length() / static_cast<Real>(intervals());
  uniform_ = true;
  // Marks carry the rounding of their own size, which matters far from the origin.
  const Real slack = 1e-12 * mean + 8e-16 * std::max(std::abs(from()), std::abs(to()));
  for (std::size_t i = 1; i < marks_.size(); ++i)
    uniform_ = uniform_ && std::abs(marks_[i] - marks_[i - 1] - mean) <= slack;
  if (unknowns_ == Unknowns::cells)
    place_cells();
  else
    place_nodes();
  if (uniform_) even_out(mean);
  measure_all();
}

Axis Axis::radial(Coordinates coordinates, std::vector<Real> marks, Unknowns unknowns) {
  Axis axis("r", std::move(marks), unknowns);
  if (axis.from() < 0) throw InputError("axis r: a distance from the centre cannot lie below 0");
  axis.power_ = coordinates == Coordinates::cylindrical ? 1 : coordinates == Coordinates::spherical ? 2 : 0;
  if (axis.power_ == 0) throw InputError("axis r: coordinates must be cylindrical or spherical");
  axis.measure_all();
  return axis;
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

void Axis::measure_all() {
  measures_ = widths_;
  resistances_ = gaps_;
  if (power_ == 0) return;
  for (Index i = 0; i < size(); ++i) measures_[i] = measure(bounds_[i], bounds_[i + 1]);
  for (Index f = 0; f <= size(); ++f) {
    const Real low = f == 0 ? bounds_[0] : points_[f - 1], high = f == size() ? bounds_[f] : points_[f];
    // Nothing crosses r = 0.
    resistances_[f] = f == 0 && starts_at_centre() ? 0 : resistance(low, high, bounds_[f]);
  }
}

// Widths and gaps of a uniform axis are alike to the last digit, so that kernels may use one number for all
// of them and totals still close.
void Axis::even_out(Real spacing) {
  const bool cells = unknowns_ == Unknowns::cells;
  std::fill(widths_.begin(), widths_.end(), spacing);
  std::fill(gaps_.begin(), gaps_.end(), spacing);
  if (periodic_) return;
  gaps_.front() = gaps_.back() = cells ? 0.5 * spacing : 0;
  if (!cells) widths_.front() = widths_.back() = 0.5 * spacing;
}

Axis Axis::uniform(std::string name, Real from, Real to, Index intervals, Unknowns unknowns, bool periodic) {
  if (intervals < 1) throw InputError("axis " + name + ": one interval at least is needed");
  if (!(to > from)) throw InputError("axis " + name + ": 'to' must lie above 'from'");
  std::vector<Real> marks(static_cast<std::size_t>(intervals) + 1);
  for (Index i = 0; i <= intervals; ++i)
    marks[i] = from + (to - from) * static_cast<Real>(i) / static_cast<Real>(intervals);
  marks.back() = to;
  return {std::move(name), std::move(marks), unknowns, periodic};
}

void Axis::place_cells() {
  const Index n = intervals();
  bounds_ = marks_;
  gaps_.resize(n + 1);
  for (Index i = 0; i < n; ++i) {
    widths_.push_back(marks_[i + 1] - marks_[i]);
    points_.push_back(0.5 * (marks_[i] + marks_[i + 1]));
  }
  for (Index i = 1; i < n; ++i) gaps_[i] = points_[i] - points_[i - 1];
  const Real seam = 0.5 * (widths_.front() + widths_.back());
  gaps_.front() = periodic_ ? seam : 0.5 * widths_.front();
  gaps_.back() = periodic_ ? seam : 0.5 * widths_.back();
}

void Axis::place_nodes() {
  const Index n = intervals();
  points_.assign(marks_.begin(), marks_.end() - (periodic_ ? 1 : 0));
  const Real last = marks_[n] - marks_[n - 1];
  bounds_.push_back(periodic_ ? marks_[0] - 0.5 * last : marks_[0]);
  for (Index i = 1; i < size(); ++i) bounds_.push_back(0.5 * (marks_[i - 1] + marks_[i]));
  bounds_.push_back(periodic_ ? marks_[n] - 0.5 * last : marks_[n]);
  for (Index i = 0; i < size(); ++i) widths_.push_back(bounds_[i + 1] - bounds_[i]);
  gaps_.resize(size() + 1);
  for (Index i = 1; i < size(); ++i) gaps_[i] = points_[i] - points_[i - 1];
  gaps_.front() = periodic_ ? last : 0;
  gaps_.back() = periodic_ ? last : 0;
}

std::vector<Axis::Piece> Axis::pieces(Index i) const {
  if (unknowns_ == Unknowns::cells) return {{points_[i], widths_[i]}};
  std::vector<Piece> result;
  for (const auto& [low, high] : {std::pair{bounds_[i], points_[i]}, std::pair{points_[i], bounds_[i + 1]}})
    if (high > low) result.push_back({wrap(0.5 * (low + high)), high - low});
  return result;
}

Real Axis::wrap(Real position) const {
  if (!periodic_ || (position >= from() && position < to())) return position;
  const Real turns = std::floor((position - from()) / length());
  return position - turns * length();
}

}  // namespace williwaw
