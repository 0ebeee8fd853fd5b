#include "williwaw/domain/decomposition.hpp"

#include <algorithm>
#include <limits>

#include "williwaw/domain/sums.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {

// No box is narrower than a halo. Around a periodic axis the halos of one do not meet: something is left out
// between them.
Index least_intervals(bool periodic, int halo) {
  return periodic ? 2 * Index{halo} + 2 : std::max(1, halo);
}

// Along the first axis boxes end with a segment of the sums that go along it. The halo is a segment as well,
// so that those of a box's own are counted from a whole one on; around a seam there must be room for two of
// them.
constexpr Index segments_around = 3;
Index segments_along(Index intervals) {
  return (intervals + segment_cells - 1) / segment_cells;
}

int most_boxes_along(const Grid& grid, int axis, int halo) {
  if (axis >= grid.dimension()) return 1;
  const Axis& along = grid.axis(axis);
  const Index most = axis > 0 ? along.intervals() / least_intervals(along.periodic(), halo)
                              : segments_along(along.intervals()) / (along.periodic() ? segments_around : 1);
  return static_cast<int>(std::clamp<Index>(most, 1, std::numeric_limits<int>::max()));
}

// Why it is not more of them.
std::string least_box_in_words(const Grid& grid, int axis, int halo) {
  const std::string cells = std::to_string(segment_cells) + " cells";
  const bool around = grid.axis(axis).periodic();
  if (axis == 0)
    return "cut at multiples of " + cells + ", where segments of sums end" +
           (around ? ", and none narrower than " + std::to_string(segments_around) + " of them" : "");
  return std::string("none narrower than ") +
         (around ? "twice the halo and 2 cells more, of a halo of " : "the halo of ") + std::to_string(halo) +
         (halo == 1 ? " cell" : " cells");
}

}  // namespace

CellsAtWork::CellsAtWork(const Grid& grid, const Regions& regions) {
  const Grid cells = grid.at_cells();
  const Index nx = cells.size(0);
  rows_ = cells.size(1);
  planes_ = cells.size(2);
  before_.assign(static_cast<std::size_t>((rows_ + 1) * (planes_ + 1)), 0);
  std::vector<int> labels(static_cast<std::size_t>(nx));
  for (Index k = 0; k < planes_; ++k)
    for (Index j = 0; j < rows_; ++j) {
      Points middles(nx);
      for (Index i = 0; i < nx; ++i) middles.set(i, cells.point_of(i + nx * (j + rows_ * k)));
      regions.labels(middles, labels);
      const bool at_work = std::ranges::any_of(labels, [&](int label) { return regions.keeps(label); });
      const auto at = [&](Index row, Index plane) -> Index& {
        return before_[static_cast<std::size_t>(row + (rows_ + 1) * plane)];
      };
      at(j + 1, k + 1) = at(j, k + 1) + at(j + 1, k) - at(j, k) + (at_work ? nx : 0);
    }
}

// Each box ends where the layers up to there come next to its part of the whole.
void Decomposition::place_starts(const Grid& grid, int axis) {
  const auto a = static_cast<std::size_t>(axis);
  const Index intervals = axis < grid.dimension() ? grid.axis(axis).intervals() : 1;
  const Index count = boxes_[a];
  if (axis == 0 && count > 1) {
    const Index segments = segments_along(intervals);
    for (Index b = 0; b < count; ++b) starts_[a].push_back(segment_cells * (segments * b / count));
    starts_[a].push_back(intervals);
    return;
  }
  if (!at_work_ || count == 1) {
    for (Index b = 0; b <= count; ++b) starts_[a].push_back(intervals * b / count);
    return;
  }
  const auto up_to = [&](Index end) {
    return axis == 1 ? at_work_->count(0, end, 0, at_work_->planes())
                     : at_work_->count(0, at_work_->rows(), 0, end);
  };
  const Index all = up_to(intervals), least = least_intervals(around_[a], halo_);
  starts_[a].push_back(0);
  for (Index b = 1; b < count; ++b) {
    const Index first = starts_[a].back() + least, last = intervals - least * (count - b);
    Index end = first;
    const auto off = [&](Index at) { return std::abs(up_to(at) * count - all * b); };
    while (end < last && off(end + 1) <= off(end)) ++end;
    starts_[a].push_back(end);
  }
  starts_[a].push_back(intervals);
}

Decomposition::Decomposition(const Grid& grid, const std::array<int, 3>& boxes, int halo,
                             std::shared_ptr<const CellsAtWork> at_work)
    : boxes_(boxes), halo_(halo), at_work_(std::move(at_work)) {
  for (int a = 0; a < 3; ++a) {
    const int most = most_boxes_along(grid, a, halo);
    if (boxes[a] < 1 || boxes[a] > most)
      throw InputError(
          std::to_string(boxes[a]) + " boxes along " +
          (a < grid.dimension() ? "axis " + grid.axis(a).name() : "an axis that the grid does not have") +
          ": " + (most > 1 ? "it takes from 1 to " + std::to_string(most) + ", " : "give 1 there") +
          (most > 1 || (a == 0 && a < grid.dimension())
               ? (most > 1 ? "" : ": it is ") + least_box_in_words(grid, a, halo)
               : ""));
    around_[static_cast<std::size_t>(a)] = boxes[a] > 1 && grid.axis(a).periodic();
    place_starts(grid, a);
  }
}

// Places along an axis whose boxes differ in width or in their halo.
std::vector<int> Decomposition::unlike_places(int axis) const {
  std::vector<int> result;
  std::vector<std::array<Index, 3>> seen;
  for (int place = 0; place < boxes_[static_cast<std::size_t>(axis)]; ++place) {
    const Axis::Extent e = extent(axis, place);
    const std::array<Index, 3> widths{e.own_first - e.first, e.own_end - e.own_first, e.end - e.own_end};
    if (!at_work_ && std::ranges::find(seen, widths) != seen.end()) continue;
    seen.push_back(widths);
    result.push_back(place);
  }
  return result;
}

Decomposition Decomposition::choose(const Grid& grid, int ranks, int halo, bool cuts_lines,
                                    std::shared_ptr<const CellsAtWork> at_work) {
  const Index all =
      at_work ? at_work->count(0, at_work->rows(), 0, at_work->planes()) : grid.at_cells().count();
  const std::array<int, 3> most{cuts_lines ? most_boxes_along(grid, 0, halo) : 1,
                                most_boxes_along(grid, 1, halo), most_boxes_along(grid, 2, halo)};
  std::optional<Decomposition> best;
  std::array<Index, 3> least{};
  // Fewer boxes than these cannot be smaller.
  const auto too_few = [&](int count) { return best && (all - 1) / count + 1 > least[0]; };
  for (int count = ranks; count >= 1 && !too_few(count); --count)
    for (int c = 1; c <= std::min(count, most[2]); ++c)
      for (int b = 1; count % c == 0 && b <= std::min(count / c, most[1]); ++b) {
        const int a = count / c / b;
        if (a * b * c != count || a > most[0]) continue;
        Decomposition tried(grid, {a, b, c}, halo, at_work);
        Index cells = 0, sent = 0;
        for (const int k : tried.unlike_places(2))
          for (const int j : tried.unlike_places(1))
            for (const int i : tried.unlike_places(0)) {
              cells = std::max(cells, tried.gone_through(tried.box({i, j, k})));
              sent = std::max(sent, tried.sent(tried.box({i, j, k})));
            }
        if (const std::array<Index, 3> size{cells, sent, count}; !best || size < least) {
          best = std::move(tried);
          least = size;
        }
      }
  return std::move(*best);
}

Decomposition Decomposition::reaching(int further) const {
  // What is gone through besides its own is half of the halos on both sides in the mean over a pass.
  constexpr Index own_to_further = 10;
  Index most = further;
  for (std::size_t a = 0; a < 3; ++a)
    for (std::size_t b = 1; b < starts_[a].size() && boxes_[a] > 1; ++b) {
      const Index own = starts_[a][b] - starts_[a][b - 1], room = around_[a] ? (own - 2) / 2 : own;
      most = std::min({most, room - halo_, own / own_to_further});
    }
  Decomposition result = *this;
  result.further_ = boxes_[0] > 1 ? 0 : static_cast<int>(std::max<Index>(0, most));
  return result;
}

Axis::Extent Decomposition::extent(int axis, int place) const {
  const std::vector<Index>& starts = starts_[static_cast<std::size_t>(axis)];
  const Index first = starts[static_cast<std::size_t>(place)],
              end = starts[static_cast<std::size_t>(place) + 1];
  const Index halo = axis == 0 ? segment_cells : halo_ + further_;
  // Before the own lie whole segments, in a box whose upper halo is beyond the seam one of that halo and of
  // what is left out.
  const Index spare = axis == 0 && end == starts.back() ? 1 : 0;
  if (around_[static_cast<std::size_t>(axis)]) return {first - halo, end + halo - spare, first, end};
  return {std::max<Index>(0, first - (place > 0 ? halo : 0)),
          std::min(starts.back(), end + (place + 1 < boxes_[static_cast<std::size_t>(axis)] ? halo : 0)),
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
  if (at_work_) {
    const Axis::Extent rows = extent(1, at[1]), planes = extent(2, at[2]);
    const Index all = at_work_->count(rows.own_first, rows.own_end, planes.own_first, planes.own_end);
    const Axis::Extent columns = extent(0, at[0]);
    return all * (columns.own_end - columns.own_first) / starts_[0].back();
  }
  Index product = 1;
  for (int a = 0; a < 3; ++a) {
    const Axis::Extent e = extent(a, at[static_cast<std::size_t>(a)]);
    product *= e.own_end - e.own_first;
  }
  return product;
}

// Lines are gone through from end to end, with the halo that they have.
Index Decomposition::gone_through(int box) const {
  const Axis::Extent columns = extent(0, place(box)[0]);
  return cells(box) / (columns.own_end - columns.own_first) * (columns.end - columns.first);
}

Index Decomposition::sent(int box) const {
  const std::array<int, 3> at = place(box);
  Index sum = 0;
  for (int a = 0; a < 3; ++a) {
    const Axis::Extent along = extent(a, at[static_cast<std::size_t>(a)]);
    Index across = 1;
    for (int b = 0; b < 3; ++b) {
      const Axis::Extent e = extent(b, at[static_cast<std::size_t>(b)]);
      // With what stands for all that is left out around a periodic axis.
      if (b != a) across *= e.end - e.first + (around_[static_cast<std::size_t>(b)] ? 1 : 0);
    }
    // As many as are received, for equal boxes.
    sum += across * (along.own_first - along.first + along.end - along.own_end);
  }
  return sum;
}

}  // namespace williwaw
