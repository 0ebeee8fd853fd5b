// How control volumes are looked at to find which regions they hold: at the ends and the middle of each of
// their pieces first, and where that differs on the halves of those pieces.
#pragma once

#include "clip.hpp"
#include "williwaw/grid/region.hpp"

namespace williwaw::looking {

using clip::Vector;

struct Span {
  Real low, high;
};

/// The pieces of a control volume along an axis, each halved.
std::vector<Span> halves(const Axis& axis, Index i);
/// The same along all axes, one empty span where there is no axis.
std::array<std::vector<Span>, 3> halves(const Grid& grid, Index n);
/// Ends, a little inside, and middles of the pieces.
std::vector<Real> sample_positions(const Axis& axis, Index i);

/// Calls visit(low, high) for every box that these spans make.
template <class Visit>
void each_box(const std::array<std::vector<Span>, 3>& spans, const Visit& visit) {
  for (const Span& z : spans[2])
    for (const Span& y : spans[1])
      for (const Span& x : spans[0]) visit(Vector{x.low, y.low, z.low}, Vector{x.high, y.high, z.high});
}

/// Labels at single places given by axis.
class Labels {
 public:
  Labels(const Grid& grid, const Regions& regions) : grid_(grid), regions_(regions) {}
  int operator()(const Vector& place) const;

 private:
  const Grid& grid_;
  const Regions& regions_;
  mutable Points one_ = Points(1);
};

/// The label of every control volume in which all looks find the same, -1 where they do not.
std::vector<int> labels_of_volumes(const Grid& grid, const Regions& regions);
/// What all looks at one control volume find.
void labels_within(const Grid& grid, const Regions& regions, Index n, std::vector<int>& out);

/// What is left of a box where `keep` says so; exact along r too.
clip::Rest clip_box(const Grid& grid, const Vector& low, const Vector& high, const clip::Keep& keep);

}  // namespace williwaw::looking
