// Adding up terms: by segments, side by side within each, and pairwise over all (`TreeSum`).
#pragma once

#include "williwaw/domain/box.hpp"
#include "williwaw/domain/reductions.hpp"
#include "williwaw/domain/sums.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw {

/// Partial sums side by side within a segment, as many as the widest vector unit takes at once.
inline constexpr Index sum_lanes = 8;

/// The partial results of a segment joined in a fixed order, half by half.
template <class Join>
WILLIWAW_INLINE inline Real joined_lanes(const Real (&lanes)[sum_lanes], const Join& join) {
  Real four[4], two[2];
#pragma omp simd
  for (int k = 0; k < 4; ++k) four[k] = join(lanes[k], lanes[k + 4]);
#pragma omp simd
  for (int k = 0; k < 2; ++k) two[k] = join(four[k], four[k + 2]);
  return join(two[0], two[1]);
}
WILLIWAW_INLINE inline Real sum_of_lanes(const Real (&lanes)[sum_lanes]) {
  return joined_lanes(lanes, [](Real a, Real b) WILLIWAW_INLINE { return a + b; });
}
WILLIWAW_INLINE inline Real lowest_of_lanes(const Real (&lanes)[sum_lanes]) {
  return joined_lanes(lanes, [](Real a, Real b) WILLIWAW_INLINE { return b < a ? b : a; });
}
WILLIWAW_INLINE inline Real highest_of_lanes(const Real (&lanes)[sum_lanes]) {
  return joined_lanes(lanes, [](Real a, Real b) WILLIWAW_INLINE { return b > a ? b : a; });
}

/// Calls visit(i, lane) for a part of a segment, and fetch(i) before every eight of them. What is left at the
/// end is added to the first lanes.
template <class Visit, class Fetch>
WILLIWAW_INLINE inline void by_lanes(Index first, Index end, const Visit& visit, const Fetch& fetch) {
  Index i = first;
  for (; i + sum_lanes <= end; i += sum_lanes) {
    fetch(i);
#pragma omp simd
    for (Index k = 0; k < sum_lanes; ++k) visit(i + k, k);
  }
  Index lane = 0;
  if (i + sum_lanes / 2 <= end) {
#pragma omp simd
    for (Index k = 0; k < sum_lanes / 2; ++k) visit(i + k, k);
    lane = sum_lanes / 2;
  }
  for (i += lane; i < end; ++i, ++lane) visit(i, lane);
}

inline constexpr auto fetch_nothing = [](Index) WILLIWAW_INLINE {};

/// Σ term(i) over a segment, or the part of it from `first` to `end` - 1.
template <class Term>
WILLIWAW_INLINE inline Real segment_sum(Index first, Index end, const Term& term) {
  Real lanes[sum_lanes] = {};
  by_lanes(
      first, end, [&](Index i, Index k) WILLIWAW_INLINE { lanes[k] += term(i); }, fetch_nothing);
  return sum_of_lanes(lanes);
}

/// Calls visit(segment of the line, first, end) for the segments that meet cells `first` to `end` - 1 of a
/// line.
template <class Visit>
WILLIWAW_INLINE inline void each_segment(Index first, Index end, const Visit& visit) {
  while (first < end) {
    const Index segment = first / segment_cells, next = (segment + 1) * segment_cells;
    visit(segment, first, next < end ? next : end);
    first = next;
  }
}

/// Σ term(n) over all cells of `lines` lines, n along x first. Each term is taken once.
template <class Term>
Real sum_over(Index line_cells, Index lines, int threads, const Term& term) {
  const Segments segments(line_cells);
  const Index leaves = segments.numbers(lines), each = in_block(leaves), blocks = blocks_of(leaves);
  std::array<Real, most_blocks> sums{};
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (Index b = 0; b < blocks; ++b) {
    TreeSum<Real> sum;
    for (Index leaf = b * each; leaf < (b + 1) * each && leaf < leaves; ++leaf)
      if (const auto [first, end] = segments.cells(leaf); first < end)
        sum.add(leaf, segment_sum(first, end, term));
    sums[static_cast<std::size_t>(b)] = sum.sum();
  }
  TreeSum<Real> all;
  for (Index b = 0; b < blocks; ++b) all.add(b, sums[static_cast<std::size_t>(b)]);
  return all.sum();
}

/// Sums by the subtrees of a box, from those by its blocks, part by part of each where lines are cut; empty
/// ones take no part.
template <class Sum, class OfPart>
std::vector<std::optional<Sum>> by_subtree(const Box& box, const OfPart& of_part) {
  std::vector<TreeSum<Sum>> subtrees(box.subtrees().size());
  const std::size_t parts = box.segments().parts_of_line();
  for (std::size_t n = 0; n < box.blocks().size() * parts; ++n)
    if (const std::optional<Sum> sum = of_part(n)) {
      const Box::Block& block = box.blocks()[n / parts];
      subtrees[block.subtree + n % parts].add(block.number, *sum);
    }
  std::vector<std::optional<Sum>> result(subtrees.size());
  for (std::size_t s = 0; s < subtrees.size(); ++s)
    if (!subtrees[s].empty()) result[s] = subtrees[s].sum();
  return result;
}

/// The same over the own cells of the boxes of all ranks.
template <class Term>
Real sum_over(const Box& box, Index line_cells, int threads, const Term& term) {
  const std::vector<Box::Block>& blocks = box.blocks();
  const Segments& segments = box.segments();
  const std::size_t parts = segments.parts_of_line();
  std::vector<std::optional<Real>> sums(blocks.size() * parts);
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (std::size_t b = 0; b < blocks.size(); ++b) {
    SubtreeSums<Real> sum(segments);
    for (Index line = blocks[b].first; line < blocks[b].first + blocks[b].count; ++line)
      each_segment(0, line_cells, [&](Index, Index first, Index end) {
        const Index start = line_cells * line;
        if (const Index number = segments.number(line, first); number >= 0)
          sum.add(number, segment_sum(start + first, start + end, term));
      });
    for (std::size_t part = 0; part < parts; ++part) sums[b * parts + part] = sum.sum(part);
  }
  return box.joined<Real>(by_subtree<Real>(box, [&](std::size_t n) { return sums[n]; }));
}

/// Σ term(n) over all values of a state, of all ranks.
template <class Term>
Real sum_over(const Reductions& over, const Term& term) {
  const Layout& layout = over.layout();
  Real sum = 0;
  for (std::size_t b = 0; b < layout.blocks().size(); ++b) {
    const Index start = layout.start(b), line = layout.line(b);
    const auto of_block = [&](Index n) { return term(start + n); };
    const Box* const box = layout.blocks()[b].box.get();
    sum += box ? sum_over(*box, line, over.threads(), of_block)
               : sum_over(line, (layout.start(b + 1) - start) / line, over.threads(), of_block);
  }
  return sum;
}

}  // namespace williwaw
