// Going through the lines of a domain, block after block of lines, shared by its threads.
#pragma once

#include "domain/summing.hpp"
#include "williwaw/domain/domain.hpp"

namespace williwaw {

/// Calls work(block, line, j, k) for every line of unknowns. Lines of a block come one after the other.
template <class Work>
void each_line(const Domain& domain, const Work& work) {
  const Index lines = domain.grid().lines(), blocks = blocks_of(lines), each = in_block(lines),
              rows = domain.grid().size(1);
  [[maybe_unused]] const int threads = domain.threads();
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (Index b = 0; b < blocks; ++b)
    for (Index line = b * each; line < std::min((b + 1) * each, lines); ++line)
      work(b, line, line % rows, line / rows);
}

/// Σ term(n) over all unknowns of a block, inactive ones included, by the threads of a domain.
template <class Term>
Real sum_over(const Domain& domain, const Term& term) {
  return sum_over(domain.grid().size(0), domain.grid().lines(), domain.threads(), term);
}

/// The sum of blocks that are subtrees of one tree, in their order; empty ones take no part.
template <class Sum>
Sum sum_of_blocks(const std::vector<TreeSum<Sum>>& blocks) {
  TreeSum<Sum> all;
  for (std::size_t b = 0; b < blocks.size(); ++b)
    if (!blocks[b].empty()) all.add(static_cast<Index>(b), blocks[b].sum());
  return all.sum();
}

/// The sum by the tree over all segments of what visit(line, sum) adds to the leaves of a line, in increasing
/// order.
template <class Sum, class Visit>
Sum tree_over(const Domain& domain, const Visit& visit) {
  std::vector<TreeSum<Sum>> blocks(static_cast<std::size_t>(blocks_of(domain.grid().lines())));
  each_line(domain, [&](Index block, Index line, Index, Index) {
    visit(line, blocks[static_cast<std::size_t>(block)]);
  });
  return sum_of_blocks(blocks);
}

}  // namespace williwaw
