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

/// What the caller gave cannot be used; the message says what was found and what would be right.
class InputError : public std::invalid_argument {
 public:
  using std::invalid_argument::invalid_argument;
};

/// Data that were usable at first turn out not to be, at a later time or for other values of the unknown.
class DataError : public InputError {
 public:
  DataError(std::string origin, const std::string& what) : InputError(what), origin_(std::move(origin)) {}
  /// What the data belong to: "boundary.west", "source", "points", "reaction", "velocity", "diffusion".
  const std::string& origin() const { return origin_; }

 private:
  std::string origin_;
};

}  // namespace williwaw
