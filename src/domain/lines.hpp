// Going through the lines of a domain, block after block of lines, shared by its threads.
#pragma once

#include "domain/summing.hpp"
#include "williwaw/domain/domain.hpp"

namespace williwaw {

/// Calls work(block, first line, end) for every block of a domain's own lines, by its threads.
template <class Work>
void each_block(const Domain& domain, const Work& work) {
  const std::vector<Box::Block>& blocks = domain.box().blocks();
  [[maybe_unused]] const int threads = domain.threads();
  const auto one = [&](std::size_t b) { work(b, blocks[b].first, blocks[b].first + blocks[b].count); };
  // Where lines are unlike each other threads take blocks in turn.
  if (!domain.outline().whole()) {
#pragma omp parallel for schedule(static, 1) num_threads(threads) if (threads > 1)
    for (std::size_t b = 0; b < blocks.size(); ++b) one(b);
    return;
  }
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (std::size_t b = 0; b < blocks.size(); ++b) one(b);
}

/// Calls work(block, line, j, k) for every line of a domain's own unknowns. Lines of a block come one after
/// the other.
template <class Work>
void each_line(const Domain& domain, const Work& work) {
  const Index rows = domain.grid().size(1);
  each_block(domain, [&](std::size_t block, Index first, Index end) {
    for (Index line = first; line < end; ++line) work(block, line, line % rows, line / rows);
  });
}

/// Σ term(n) over all unknowns of a block, inactive ones included, of all ranks, by the threads of each.
template <class Term>
Real sum_over(const Domain& domain, const Term& term) {
  return domain.box().whole() ? sum_over(domain.grid().size(0), domain.grid().lines(), domain.threads(), term)
                              : sum_over(domain.box(), domain.grid().size(0), domain.threads(), term);
}

/// The sum by the tree over all segments of what visit(line, sum) adds to the leaves of a line, in increasing
/// order.
template <class Sum, class Visit>
Sum tree_over(const Domain& domain, const Visit& visit) {
  const std::size_t parts = domain.segments().parts_of_line();
  std::vector<SubtreeSums<Sum>> blocks(domain.box().blocks().size(), SubtreeSums<Sum>(domain.segments()));
  each_line(domain, [&](std::size_t block, Index line, Index, Index) { visit(line, blocks[block]); });
  return domain.box().joined<Sum>(
      by_subtree<Sum>(domain.box(), [&](std::size_t n) { return blocks[n / parts].sum(n % parts); }));
}

/// A tree over all segments to whose leaves single unknowns add, in increasing order; only those that are a
/// box's own count.
template <class Sum>
class BoxSum {
 public:
  explicit BoxSum(const Domain& domain) : domain_(&domain), subtrees_(domain.box().subtrees().size()) {}

  /// The leaf of unknown n, or a place that nobody looks at where it belongs to another box.
  Sum& leaf(Index n) {
    const Box& box = domain_->box();
    if (!box.owns(n)) return nowhere_ = Sum();
    const Index line = n / domain_->grid().size(0);
    while (line >= box.subtrees()[at_].first + box.subtrees()[at_].count) ++at_;
    const Index number = domain_->segments().of_cell(n);
    return subtrees_[at_ + domain_->segments().part(number)].leaf(number);
  }
  /// Of all ranks, which call it together.
  Sum sum() const {
    std::vector<std::optional<Sum>> own(subtrees_.size());
    for (std::size_t s = 0; s < own.size(); ++s)
      if (!subtrees_[s].empty()) own[s] = subtrees_[s].sum();
    return domain_->box().template joined<Sum>(own);
  }

 private:
  const Domain* domain_;
  std::vector<TreeSum<Sum>> subtrees_;
  std::size_t at_ = 0;
  Sum nowhere_{};
};

}  // namespace williwaw
