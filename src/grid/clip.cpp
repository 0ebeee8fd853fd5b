#include "clip.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

namespace williwaw::clip {

namespace {

constexpr Real inset = 1e-7;  // of the box, where its corners are looked at
constexpr int halvings = 34;

Vector operator+(const Vector& a, const Vector& b) {
  return {a[0] + b[0], a[1] + b[1], a[2] + b[2]};
}
Vector operator-(const Vector& a, const Vector& b) {
  return {a[0] - b[0], a[1] - b[1], a[2] - b[2]};
}
Vector operator*(Real s, const Vector& a) {
  return {s * a[0], s * a[1], s * a[2]};
}
Real dot(const Vector& a, const Vector& b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}
Vector cross(const Vector& a, const Vector& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
Real length(const Vector& a) {
  return std::sqrt(dot(a, a));
}

Vector mean(std::span<const Vector> corners) {
  Vector sum{};
  for (const Vector& c : corners) sum = sum + c;
  return (1 / static_cast<Real>(corners.size())) * sum;
}

// Length, area or volume of a simplex by its corners.
Real size_of(std::span<const Vector> c) {
  switch (c.size()) {
    case 1:
      return 1;
    case 2:
      return length(c[1] - c[0]);
    case 3:
      return 0.5 * length(cross(c[1] - c[0], c[2] - c[0]));
    default:
      return std::abs(dot(c[1] - c[0], cross(c[2] - c[0], c[3] - c[0]))) / 6;
  }
}

struct Corner {
  Vector place;   // of the box itself
  Vector looked;  // where it is looked at
  bool kept;
};

// Where the line between a kept and a cut corner leaves what is kept.
Vector crossing(const Corner& kept, const Corner& cut, const Keep& keep) {
  Real low = 0, high = 1;
  for (int n = 0; n < halvings; ++n) {
    const Real middle = 0.5 * (low + high);
    const Vector at = kept.looked + middle * (cut.looked - kept.looked);
    (keep(at) ? low : high) = middle;
  }
  Real fraction = 0.5 * (low + high);
  // An outline on the corner itself is on the corner, not beside it.
  if (fraction < 2 * inset) fraction = 0;
  if (fraction > 1 - 2 * inset) fraction = 1;
  return kept.place + fraction * (cut.place - kept.place);
}

class Cutter {
 public:
  Cutter(int dimension, const Keep& keep, const Weight& weight)
      : dimension_(dimension), keep_(keep), weight_(weight) {}

  void add(std::span<const Corner> simplex, Rest& rest) const {
    std::vector<const Corner*> in, out;
    for (const Corner& c : simplex) (c.kept ? in : out).push_back(&c);
    if (in.empty()) return;
    std::vector<Vector> whole;
    for (const Corner& c : simplex) whole.push_back(c.place);
    if (out.empty()) {
      rest.measure += weighted(whole);
      return;
    }
    std::vector<Vector> cuts;  // in by in, out by out
    for (const Corner* i : in)
      for (const Corner* o : out) cuts.push_back(crossing(*i, *o, keep_));
    const Vector away = mean_of(out) - mean_of(in);
    if (in.size() == 1) {
      std::vector<Vector> tip{in[0]->place};
      tip.insert(tip.end(), cuts.begin(), cuts.end());
      rest.measure += weighted(tip);
      surface(cuts, away, rest);
    } else if (out.size() == 1) {
      std::vector<Vector> tip{out[0]->place};
      tip.insert(tip.end(), cuts.begin(), cuts.end());
      rest.measure += weighted(whole) - weighted(tip);
      surface(cuts, away, rest);
    } else {  // two and two corners of a tetrahedron: a wedge
      const std::array<Vector, 3> a{in[0]->place, cuts[0], cuts[1]}, b{in[1]->place, cuts[2], cuts[3]};
      for (const auto& part : {std::array{a[0], a[1], a[2], b[2]}, std::array{a[0], a[1], b[1], b[2]},
                               std::array{a[0], b[0], b[1], b[2]}})
        rest.measure += weighted(part);
      surface(std::array{a[1], a[2], b[2]}, away, rest);
      surface(std::array{a[1], b[1], b[2]}, away, rest);
    }
  }

 private:
  static Vector mean_of(const std::vector<const Corner*>& corners) {
    Vector sum{};
    for (const Corner* c : corners) sum = sum + c->place;
    return (1 / static_cast<Real>(corners.size())) * sum;
  }
  Real weighted(std::span<const Vector> simplex) const { return size_of(simplex) * weight_(mean(simplex)); }

  void surface(std::span<const Vector> corners, const Vector& away, Rest& rest) const {
    Vector direction = away;
    if (dimension_ == 2) direction = {corners[1][1] - corners[0][1], corners[0][0] - corners[1][0], 0};
    if (dimension_ == 3) direction = cross(corners[1] - corners[0], corners[2] - corners[0]);
    const Real size = length(direction), area = weighted(corners);
    if (!(size > 0) || !(area > 0)) return;
    const Real sign = dot(direction, away) < 0 ? -1 : 1;
    rest.cut += area;
    rest.normal = rest.normal + (sign * area / size) * direction;
    rest.first_moment = rest.first_moment + area * mean(corners);
  }

  int dimension_;
  const Keep& keep_;
  const Weight& weight_;
};

// A point of the box, both where it is and where it is looked at: 0, 1 or 2 for the lower end, the middle or
// the upper end along each axis.
struct Lattice {
  const std::vector<int>& axes;
  const Vector &low, &high, &look_low, &look_high;
  const Keep& keep;

  Corner at(const std::array<int, 3>& where) const {
    Corner c{low, look_low, false};
    for (std::size_t b = 0; b < axes.size(); ++b) {
      const int a = axes[b];
      c.place[a] = low[a] + 0.5 * where[b] * (high[a] - low[a]);
      c.looked[a] = look_low[a] + 0.5 * where[b] * (look_high[a] - look_low[a]);
    }
    c.kept = keep(c.looked);
    return c;
  }
};

// Cuts a box into simplices that share its middle: the middle joined with the simplices of each of its
// faces, down to edges. Flipping or turning the box turns the simplices into each other, and neighbouring
// boxes meet along whole faces of simplices.
void split(const Lattice& lattice, std::array<int, 3> where, std::vector<std::size_t> free,
           std::vector<Corner>& apexes, const Cutter& cutter, Rest& rest) {
  if (free.empty()) {
    std::vector<Corner> simplex = apexes;
    simplex.push_back(lattice.at(where));
    cutter.add(simplex, rest);
    return;
  }
  if (free.size() == 1) {
    std::vector<Corner> simplex = apexes;
    for (const int end : {0, 2}) {
      where[free[0]] = end;
      simplex.push_back(lattice.at(where));
    }
    cutter.add(simplex, rest);
    return;
  }
  for (const std::size_t b : free) where[b] = 1;
  apexes.push_back(lattice.at(where));
  for (const std::size_t b : free)
    for (const int end : {0, 2}) {
      auto face = where;
      face[b] = end;
      std::vector<std::size_t> others;
      for (const std::size_t o : free)
        if (o != b) others.push_back(o);
      split(lattice, face, others, apexes, cutter, rest);
    }
  apexes.pop_back();
}

Rest over_axes(const std::vector<int>& axes, const Vector& low, const Vector& high, const Vector& look_low,
               const Vector& look_high, const Keep& keep, const Weight& weight) {
  const Lattice lattice{axes, low, high, look_low, look_high, keep};
  const Cutter cutter(static_cast<int>(axes.size()), keep, weight);
  std::vector<std::size_t> free;
  for (std::size_t b = 0; b < axes.size(); ++b) free.push_back(b);
  Rest rest;
  std::vector<Corner> apexes;
  split(lattice, {0, 0, 0}, free, apexes, cutter, rest);
  return rest;
}

}  // namespace

Rest box(int dimension, const Vector& low, const Vector& high, const Keep& keep, const Weight& weight) {
  std::vector<int> axes;
  Vector look_low = low, look_high = high;
  for (int a = 0; a < dimension; ++a) {
    axes.push_back(a);
    look_low[a] += inset * (high[a] - low[a]);
    look_high[a] -= inset * (high[a] - low[a]);
  }
  return over_axes(axes, low, high, look_low, look_high, keep, weight);
}

Real face(int dimension, const Vector& low, const Vector& high, int axis, bool upper, const Keep& keep,
          const Weight& weight) {
  std::vector<int> axes;
  Vector from = low, to = high, look_from = low, look_to = high;
  for (int a = 0; a < dimension; ++a) {
    const Real step = inset * (high[a] - low[a]);
    look_from[a] += step;
    look_to[a] -= step;
    if (a != axis) axes.push_back(a);
  }
  (upper ? from : to)[axis] = (upper ? high : low)[axis];
  (upper ? look_from : look_to)[axis] = (upper ? look_to : look_from)[axis];
  return over_axes(axes, from, to, look_from, look_to, keep, weight).measure;
}

}  // namespace williwaw::clip
