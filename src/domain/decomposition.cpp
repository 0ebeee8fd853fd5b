#include "williwaw/domain/decomposition.hpp"

#include <algorithm>
#include <limits>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

bool Decomposition::cuts(const Grid& grid, int axis) {
  return axis > 0 && axis < grid.dimension() && !grid.axis(axis).periodic();
}

namespace {

// Boxes along an axis of which none is narrower than a halo.
int most_boxes_along(const Grid& grid, int axis, int halo) {
  if (!Decomposition::cuts(grid, axis)) return 1;
  return static_cast<int>(
      std::clamp<Index>(grid.axis(axis).intervals() / std::max(1, halo), 1, std::numeric_limits<int>::max()));
}

}  // namespace

Decomposition::Decomposition(const Grid& grid, const std::array<int, 3>& boxes, int halo)
    : boxes_(boxes), halo_(halo) {
  for (int a = 0; a < 3; ++a) {
    const Index intervals = a < grid.dimension() ? grid.axis(a).intervals() : 1;
    const int most = most_boxes_along(grid, a, halo);
    if (boxes[a] < 1 || boxes[a] > most)
      throw InputError(
          std::to_string(boxes[a]) + " boxes along " +
          (a < grid.dimension() ? "axis " + grid.axis(a).name() : "an axis that the grid does not have") +
          ": " +
          (most > 1 ? "it takes from 1 to " + std::to_string(most) + ", none narrower than the halo of " +
                          std::to_string(halo) + (halo == 1 ? " cell" : " cells")
           : a < grid.dimension() && grid.axis(a).periodic() ? "a periodic axis is not cut; give 1 there"
           : a == 0 ? "the first axis is not cut, since sums go along it; give 1 there"
                    : "give 1 there"));
    for (int b = 0; b <= boxes[a]; ++b) starts_[a].push_back(intervals * b / boxes[a]);
  }
}

Decomposition Decomposition::choose(const Grid& grid, int ranks, int halo) {
  const std::array<int, 3> most{most_boxes_along(grid, 0, halo), most_boxes_along(grid, 1, halo),
                                most_boxes_along(grid, 2, halo)};
  std::optional<Decomposition> best;
  std::array<Index, 3> least{};
  for (int count = ranks; count >= 1; --count)
    for (int c = 1; c <= std::min(count, most[2]); ++c)
      for (int b = 1; count % c == 0 && b <= std::min(count / c, most[1]); ++b) {
        const int a = count / c / b;
        if (a * b * c != count || a > most[0]) continue;
        Decomposition tried(grid, {a, b, c}, halo);
        Index cells = 0, sent = 0;
        for (int box = 0; box < count; ++box) {
          cells = std::max(cells, tried.cells(box));
          sent = std::max(sent, tried.sent(box));
        }
        if (const std::array<Index, 3> size{cells, sent, count}; !best || size < least) {
          best = std::move(tried);
          least = size;
        }
      }
  return std::move(*best);
}

Axis::Extent Decomposition::extent(int axis, int place) const {
  const std::vector<Index>& starts = starts_[static_cast<std::size_t>(axis)];
  const Index first = starts[static_cast<std::size_t>(place)],
              end = starts[static_cast<std::size_t>(place) + 1];
  return {std::max<Index>(0, first - (place > 0 ? halo_ : 0)),
          std::min(starts.back(), end + (place + 1 < boxes_[static_cast<std::size_t>(axis)] ? halo_ : 0)),
          first, end};
}

Grid Decomposition::part(const Grid& grid, int box) const {
  expect(!grid.is_part(), "Decomposition::part: of a whole grid");
  const std::array<int, 3> at = place(box);
  std::vector<Axis::Extent> extents;
  for (int a = 0; a < grid.dimension(); ++a)
    extents.push_back(starts_[static_cast<std::size_t>(a)].empty()
                          ? Axis::Extent{0, grid.axis(a).intervals(), 0, grid.axis(a).intervals()}
                          : extent(a, at[static_cast<std::size_t>(a)]));
  return grid.part(extents);
}

Index Decomposition::cells(int box) const {
  const std::array<int, 3> at = place(box);
  Index product = 1;
  for (int a = 0; a < 3; ++a) {
    const Axis::Extent e = extent(a, at[static_cast<std::size_t>(a)]);
    product *= e.own_end - e.own_first;
  }
  return product;
}

Index Decomposition::sent(int box) const {
  const std::array<int, 3> at = place(box);
  Index sum = 0;
  for (int a = 0; a < 3; ++a) {
    const Axis::Extent along = extent(a, at[static_cast<std::size_t>(a)]);
    Index across = 1;
    for (int b = 0; b < 3; ++b) {
      const Axis::Extent e = extent(b, at[static_cast<std::size_t>(b)]);
      if (b != a) across *= e.end - e.first;
    }
    // As many as are received, for equal boxes.
    sum += across * (along.own_first - along.first + along.end - along.own_end);
  }
  return sum;
}

}  // namespace williwaw
