#include "williwaw/domain/box.hpp"

#include <algorithm>

#include "domain/halo_exchange.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {

// Nodes of two ranks in the order of leaves; two that follow each other and make up a node are joined.
template <class Node, class Step>
std::vector<Node> joined_in_pairs(const std::vector<Node>& own, const std::vector<Node>& other,
                                  std::vector<Step>& steps) {
  std::vector<std::pair<Node, std::size_t>> all;
  for (const Node& node : own) all.emplace_back(node, all.size());
  for (const Node& node : other) all.emplace_back(node, all.size());
  std::ranges::sort(all, {}, [](const auto& entry) { return entry.first.leaf; });
  std::vector<Node> left;
  for (const auto& [node, row] : all) {
    left.push_back(node);
    int joins = 0;
    while (left.size() > 1) {
      Node& before = left[left.size() - 2];
      const Node& last = left.back();
      const Index span = Index{1} << before.level;
      if (before.level != last.level || before.leaf + span != last.leaf || before.leaf % (2 * span) != 0)
        break;
      ++before.level;
      left.pop_back();
      ++joins;
    }
    steps.push_back({row, joins});
  }
  return left;
}

}  // namespace

Box::Box(const Grid& grid, const Decomposition& decomposition, Communicator& communicator)
    : communicator_(&communicator), whole_(!grid.is_part()), further_(decomposition.further()) {
  for (int a = 0; a < 3; ++a) {
    size_[a] = whole_size_[a] = own_end_[a] = grid.size(a);
    if (a >= grid.dimension()) continue;
    axes_.push_back(grid.axis(a));
    const Axis& axis = axes_.back();
    if (!axis.is_part()) continue;
    whole_size_[a] = axis.whole().size();
    first_[a] = axis.first();
    own_first_[a] = axis.own_first();
    own_end_[a] = axis.own_end();
  }
  const auto along = [&](int a) {
    return Segments::Along{size_[a], own_first_[a], own_end_[a], first_[a] + own_first_[a], whole_size_[a]};
  };
  segments_ = whole_ ? Segments(size_[0]) : Segments(along(0), along(1), along(2));
  lay_out_subtrees();
  lay_out_blocks();
  if (whole_) return;
  lay_out_rounds();
  find_neighbours(grid, decomposition);
}

// Maximal subtrees of the tree over all lines. What is whole is one, whose missing lines take no part.
void Box::lay_out_subtrees() {
  const Index lines = size_[1] * size_[2];
  if (whole_) {
    subtrees_.push_back(
        {0, lines, 0, static_cast<int>(std::bit_width(static_cast<std::uint64_t>(lines - 1)))});
    return;
  }
  const auto cut_up = [&](Index line, Index count) {
    Index there = line_there(line);
    while (count > 0) {
      int level = there == 0 ? 62 : std::countr_zero(static_cast<std::uint64_t>(there));
      level = std::min(level, static_cast<int>(std::bit_width(static_cast<std::uint64_t>(count))) - 1);
      const Index taken = Index{1} << level;
      subtrees_.push_back({line, taken, there, level});
      line += taken;
      there += taken;
      count -= taken;
    }
  };
  if (!segments_.nodes().empty()) {
    for (Index k = own_first_[2]; k < own_end_[2]; ++k)
      for (Index j = own_first_[1]; j < own_end_[1]; ++j) {
        const Index line = j + size_[1] * k;
        for (const Segments::Node& node : segments_.nodes())
          subtrees_.push_back({line, 1, segments_.numbers(line_there(line)) + node.first, node.level});
      }
    return;
  }
  // Planes follow each other where all of their lines are its own.
  if (own_count(1) == whole_size_[1]) {
    cut_up(size_[1] * own_first_[2], size_[1] * (own_end_[2] - own_first_[2]));
  } else {
    for (Index k = own_first_[2]; k < own_end_[2]; ++k)
      cut_up(own_first_[1] + size_[1] * k, own_end_[1] - own_first_[1]);
  }
  // Leaves are segments: a line has a power of two of them.
  for (Subtree& s : subtrees_) {
    s.leaf = segments_.numbers(s.leaf);
    s.level += segments_.levels_of_line();
  }
}

// Every rank follows how all of them come together, and keeps its own part in that.
void Box::lay_out_rounds() {
  std::vector<Real> own{static_cast<Real>(subtrees_.size())};
  for (const Subtree& s : subtrees_) {
    own.push_back(static_cast<Real>(s.leaf));
    own.push_back(s.level);
  }
  const std::vector<Real> told = communicator_->gathered(own);
  std::vector<std::vector<Node>> of_ranks(static_cast<std::size_t>(communicator_->size()));
  const Real* next = told.data();
  for (auto& nodes : of_ranks) {
    nodes.resize(static_cast<std::size_t>(*next++));
    for (Node& node : nodes) {
      node.leaf = static_cast<Index>(*next++);
      node.level = static_cast<int>(*next++);
    }
  }
  const auto count = of_ranks.size(), mine = static_cast<std::size_t>(communicator_->rank());
  for (std::size_t apart = 1; apart < count; apart *= 2) {
    Round& round = rounds_.emplace_back();
    for (std::size_t to = 0; to + apart < count; to += 2 * apart) {
      const std::size_t from = to + apart;
      std::vector<Round::Step> steps;
      const std::size_t received = of_ranks[from].size();
      of_ranks[to] = joined_in_pairs(of_ranks[to], of_ranks[from], steps);
      of_ranks[from].clear();
      if (mine == from) {
        round.other = static_cast<int>(to);
        round.sends = true;
      } else if (mine == to) {
        round.other = static_cast<int>(from);
        round.received = received;
        round.steps = std::move(steps);
      }
    }
  }
  if (mine == 0) top_ = of_ranks.front();
}

void Box::lay_out_blocks() {
  const Index most = in_block((own_end_[1] - own_first_[1]) * (own_end_[2] - own_first_[2]));
  for (std::size_t s = 0; s < subtrees_.size(); s += segments_.parts_of_line()) {
    const Subtree& subtree = subtrees_[s];
    const Index each =
        whole_ ? most
               : std::min(most, static_cast<Index>(std::bit_ceil(static_cast<std::uint64_t>(subtree.count))));
    for (Index b = 0; b * each < subtree.count; ++b)
      blocks_.push_back({subtree.first + b * each, std::min(each, subtree.count - b * each),
                         line_there(subtree.first) / each + b, s});
  }
}

void Box::find_neighbours(const Grid& grid, const Decomposition& decomposition) {
  const int rank = communicator_->rank();
  expect(decomposition.count() == communicator_->size(), "Box: a box for each rank");
  const std::array<int, 3> place = decomposition.place(rank);
  for (int a = 0; a < grid.dimension(); ++a) {
    const int count = decomposition.boxes()[a];
    // Two boxes around a periodic axis are beside each other twice, and one of them begins at its other end.
    const bool first = place[a] % 2 == 1;
    for (const bool upper : {first, !first}) {
      std::array<int, 3> other = place;
      other[a] += upper ? 1 : -1;
      if (grid.axis(a).periodic() && count > 1) other[a] = (other[a] + count) % count;
      if (other[a] < 0 || other[a] >= count) continue;
      const Axis beside = grid.axis(a).whole().part(decomposition.extent(a, other[a]));
      const auto add = [&](Index further, std::vector<HaloNeighbour>& to) {
        const Index sent = beside.halo(!upper).count() - further,
                    begin = upper ? own_end_[a] - sent : own_first_[a];
        RowRange received = grid.axis(a).halo(upper);
        (upper ? received.end : received.first) += upper ? -further : further;
        to.push_back({a, decomposition.box(other), {begin, begin + sent}, received});
      };
      add(0, all_of_neighbours_);
      add(further_, neighbours_);
    }
  }
}

std::optional<Index> Box::here(Index whole) const {
  if (whole_) return whole;
  return here(std::array<Index, 3>{whole % whole_size_[0], whole / whole_size_[0] % whole_size_[1],
                                   whole / (whole_size_[0] * whole_size_[1])});
}

std::optional<Index> Box::here(const std::array<Index, 3>& at) const {
  Index n = 0, stride = 1;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const std::optional<Index> along = axes_[a].here(at[a]);
    if (!along) return std::nullopt;
    n += stride * *along;
    stride *= size_[a];
  }
  return n;
}

Index Box::there(Index n) const {
  if (whole_) return n;
  std::array<Index, 3> at{n % size_[0], n / size_[0] % size_[1], n / (size_[0] * size_[1])};
  for (std::size_t a = 0; a < axes_.size(); ++a) at[a] = axes_[a].there(at[a]);
  return number_there(at);
}

void Box::exchange(std::span<Real> values, const std::vector<HaloNeighbour>& with) const {
  if (with.empty()) return;
  expect(static_cast<Index>(values.size()) == count(), "Box::exchange: a value for each unknown");
  exchange_halo(*communicator_, size_, with, values.data());
}

std::vector<std::array<RowRange, 3>> Box::own_of_all() const {
  std::vector<Real> told;
  for (int a = 0; a < 3; ++a)
    for (const Index at : {own_first(a), own_first(a) + own_count(a)}) told.push_back(static_cast<Real>(at));
  const std::vector<Real> all = communicator_->gathered(told);
  std::vector<std::array<RowRange, 3>> result(static_cast<std::size_t>(communicator_->size()));
  const Real* next = all.data();
  for (auto& of_rank : result)
    for (RowRange& rows : of_rank) {
      rows = {static_cast<Index>(next[0]), static_cast<Index>(next[1])};
      next += 2;
    }
  return result;
}

}  // namespace williwaw
