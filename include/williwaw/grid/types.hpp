// The few types that every layer shares: numbers, indices, points, and the error for wrong input.
#pragma once

#include <cstddef>
#include <span>
#include <stdexcept>
#include <string>
#include <vector>

namespace williwaw {

using Real = double;
using Index = std::ptrdiff_t;

/// A place in space. Axes that a problem does not have stay at zero.
struct Point {
  Real x = 0;
  Real y = 0;
  Real z = 0;

  /// Coordinate by direction: 0 is x, 1 is y, 2 is z.
  Real& operator[](int direction) { return direction == 0 ? x : direction == 1 ? y : z; }
  Real operator[](int direction) const { return direction == 0 ? x : direction == 1 ? y : z; }
};

/// Many places at once, coordinate by coordinate, so that functions are evaluated by line.
struct Points {
  std::vector<Real> x, y, z;

  explicit Points(Index count = 0) { resize(count); }
  Index size() const { return static_cast<Index>(x.size()); }
  void resize(Index count) {
    for (auto* c : {&x, &y, &z}) c->assign(static_cast<std::size_t>(count), 0.0);
  }
  std::vector<Real>& coordinate(int direction) { return direction == 0 ? x : direction == 1 ? y : z; }
  Point operator[](Index i) const { return {x[i], y[i], z[i]}; }
  void set(Index i, const Point& p) {
    x[i] = p.x;
    y[i] = p.y;
    z[i] = p.z;
  }
};

/// A number for messages: six digits at most.
std::string to_text(Real value);

/// The part of a problem's declaration that an error is about. Whoever reads declarations maps subjects to
/// the keys that they came from.
enum class Subject {
  unspecified,
  grid,
  regions,
  equation,
  storage,
  diffusion,
  velocity,
  flux,
  source,
  points,
  reaction,
  damping,
  initial,
  boundary,
  space_order,
  reconstruction,
  face_mean,
  soil,
  numerical_flux,
  scheme,
  step,
  solver,
  end_time,
  records,
  cycle
};

/// What the caller gave cannot be used; the message says what was found and what would be right.
class InputError : public std::invalid_argument {
 public:
  explicit InputError(const std::string& text) : std::invalid_argument(text) {}
  /// `name` tells things of one subject apart: a side, a point.
  InputError(Subject subject, const std::string& text, std::string name = {})
      : std::invalid_argument(text), subject_(subject), name_(std::move(name)) {}
  Subject subject() const { return subject_; }
  const std::string& name() const { return name_; }

 private:
  Subject subject_ = Subject::unspecified;
  std::string name_;
};

/// Data that were usable at first turn out not to be, at a later time or for other values of the unknown.
class DataError : public InputError {
 public:
  DataError(Subject subject, std::string name, const std::string& text)
      : InputError(subject, text, std::move(name)) {}
};

}  // namespace williwaw
