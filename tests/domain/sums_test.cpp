// Sums over a grid: which tree they are, how exact, and that neither threads nor cuts show in them.
#include "williwaw/domain/sums.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <numeric>

#include "domain/summing.hpp"
#include "williwaw/grid/expect.hpp"

using namespace williwaw;

namespace {

// As the definition says, by recursion.
Real by_definition(const std::vector<Real>& leaves, std::size_t first, std::size_t count) {
  if (count == 1) return leaves[first];
  const std::size_t half = count / 2;
  if (first + half >= leaves.size()) return by_definition(leaves, first, half);
  return by_definition(leaves, first, half) + by_definition(leaves, first + half, half);
}

std::vector<Real> terms(std::size_t count) {
  std::vector<Real> result(count);
  for (std::size_t n = 0; n < count; ++n)
    result[n] = std::sin(static_cast<Real>(n) * 1.7) * std::exp(std::cos(static_cast<Real>(n)) * 9);
  return result;
}

}  // namespace

TEST_CASE("leaves are added pairwise, whatever their number") {
  for (const std::size_t count : {1u, 2u, 3u, 5u, 8u, 13u, 64u, 100u, 127u}) {
    const auto leaves = terms(count);
    TreeSum<Real> sum;
    for (std::size_t n = 0; n < count; ++n) sum.add(static_cast<Index>(n), leaves[n]);
    CHECK(sum.sum() == by_definition(leaves, 0, std::bit_ceil(count)));
  }
}

TEST_CASE("leaves that do not come take no part, and a leaf that comes again adds up") {
  const auto leaves = terms(64);
  // With zeros in their place, which change nothing.
  std::vector<Real> sparse(64, 0.0);
  TreeSum<Real> sum;
  CHECK(sum.empty());
  CHECK(sum.sum() == 0);
  for (const Index n : {3, 4, 17, 18, 40, 63}) {
    sum.leaf(n) += leaves[n];
    sum.add(n, 0.25);
    sparse[static_cast<std::size_t>(n)] = leaves[n] + 0.25;
  }
  CHECK_FALSE(sum.empty());
  CHECK(sum.sum() == by_definition(sparse, 0, 64));
  sum.clear();
  CHECK(sum.empty());
  sum.add(63, 2.0);
  CHECK(sum.sum() == 2);
}

TEST_CASE("blocks are subtrees: a sum of their sums is the sum of all") {
  for (const Index lines : {1, 7, 256, 257, 1000, 5000}) {
    CAPTURE(lines);
    CHECK(blocks_of(lines) <= most_blocks);
    CHECK(std::has_single_bit(static_cast<std::size_t>(in_block(lines))));
    const auto leaves = terms(static_cast<std::size_t>(lines));
    TreeSum<Real> whole, of_blocks;
    for (Index b = 0; b < blocks_of(lines); ++b) {
      TreeSum<Real> block;
      for (Index n = b * in_block(lines); n < std::min((b + 1) * in_block(lines), lines); ++n) {
        block.add(n, leaves[static_cast<std::size_t>(n)]);
        whole.add(n, leaves[static_cast<std::size_t>(n)]);
      }
      of_blocks.add(b, block.sum());
    }
    CHECK(of_blocks.sum() == whole.sum());
  }
}

TEST_CASE("segments are 256 cells of a line, numbered so that lines are subtrees") {
  const Segments segments(700);
  CHECK(segments.of_line() == 3);
  CHECK(segments.number(0, 255) == 0);
  CHECK(segments.number(0, 256) == 1);
  CHECK(segments.number(1, 0) == 4);
  CHECK(segments.of_cell(700 + 699) == 6);
  CHECK(segments.cells(6) == std::pair<Index, Index>(700 + 512, 1400));
  // The fourth of a line holds nothing.
  CHECK(segments.cells(7).first >= segments.cells(7).second);
  CHECK(Segments(256).of_line() == 1);
  CHECK(Segments(1).number(5, 0) == 5);
}

TEST_CASE(
    "a sum over a grid is near the exact one, the same for all threads, and made of the sums of its parts") {
  for (const Index cells : {1, 5, 8, 255, 256, 300, 1000})
    for (const Index lines : {1, 3, 300}) {
      CAPTURE(cells);
      CAPTURE(lines);
      const auto values = terms(static_cast<std::size_t>(cells * lines));
      const auto term = [&](Index n) { return values[static_cast<std::size_t>(n)]; };
      const Real sum = sum_over(cells, lines, 1, term);
      long double exact = 0, size = 0;
      for (const Real v : values) {
        exact += v;
        size += std::abs(v);
      }
      CHECK(std::abs(static_cast<Real>(exact) - sum) <= 8e-16 * static_cast<Real>(size));
      for (const int threads : {2, 3, 5}) CHECK(sum_over(cells, lines, threads, term) == sum);
      // As a box of lines after another would add it up.
      const Segments segments(cells);
      TreeSum<Real> tree;
      for (Index line = 0; line < lines; ++line)
        each_segment(0, cells, [&](Index s, Index first, Index end) {
          tree.add(segments.number(line, s * segment_cells),
                   segment_sum(line * cells + first, line * cells + end, term));
        });
      CHECK(tree.sum() == sum);
    }
}

TEST_CASE("rounding errors of a sum of many alike terms stay near one unit in the last place") {
  CHECK(sum_over(100000, 30, 2, [](Index) { return 0.1; }) == doctest::Approx(300000.0).epsilon(1e-15));
}

TEST_CASE("reductions over a state: block after block by the tree, whatever the number of threads") {
  const Layout layout({{"u", Placement::cells, {300, 5, 1}}, {"v", Placement::cells, {300, 5, 1}}});
  const std::vector<Real> a = terms(3000);
  std::vector<Real> b = a;
  std::ranges::reverse(b);
  const Reductions one(layout);
  // A line has two segments, of 256 and 44 cells, and lanes within each: numbers without a fraction add up
  // exactly.
  std::vector<Real> whole(3000);
  for (std::size_t n = 0; n < whole.size(); ++n) whole[n] = static_cast<Real>(n % 17);
  CHECK(one.sum(whole) == std::accumulate(whole.begin(), whole.end(), 0.0));
  const std::span<const Real> all = a;
  const Layout half({300, 5, 1});
  CHECK(one.sum(a) == Reductions(half).sum(all.first(1500)) + Reductions(half).sum(all.last(1500)));
  std::vector<Real> products(3000), squares(3000);
  for (std::size_t n = 0; n < a.size(); ++n) {
    products[n] = a[n] * b[n];
    squares[n] = a[n] * a[n];
  }
  CHECK(one.dot(a, b) == one.sum(products));
  CHECK(one.norm(a) == std::sqrt(one.sum(squares)));
  Real largest = 0, apart = 0;
  for (std::size_t n = 0; n < a.size(); ++n) {
    largest = std::max(largest, std::abs(a[n]));
    apart = std::max(apart, std::abs(a[n] - b[n]));
  }
  CHECK(one.largest(a) == largest);
  CHECK(one.largest_difference(a, b) == apart);
  for (const int threads : {2, 3, 7}) {
    const Reductions many(layout, threads);
    CHECK(many.sum(a) == one.sum(a));
    CHECK(many.dot(a, b) == one.dot(a, b));
  }
#ifdef WILLIWAW_ASSERT
  CHECK_THROWS_AS(one.sum(all.first(1500)), PreconditionError);
  CHECK_THROWS_AS(one.dot(a, all.first(1500)), PreconditionError);
#endif
}
