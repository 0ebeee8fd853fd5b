#include "level_share.hpp"

#include <algorithm>

namespace williwaw {

namespace {

// Rows beside its own that a rank looks at: two of the next pair and the one after it. It begins with the
// first of a pair, so that colours and pairs are those of the whole level.
constexpr Index beside = 3;
// A rank has as many rows of its own as others may ask for, and a level of fewer unknowns is not worth a
// message to each of its neighbours.
constexpr Index fewest_rows = 2 * (beside + 1), fewest_unknowns = 4096;

LevelShare::Range with_halo(const LevelShare::Range& own, Index size) {
  if (own.count() == size) return own;
  return {std::max<Index>(0, own.first - beside) / 2 * 2, std::min(size, own.end + beside + 1)};
}

LevelShare::Range joined(const LevelShare::Range& own, bool paired) {
  return paired ? LevelShare::Range{(own.first + 1) / 2, (own.end + 1) / 2} : own;
}

bool same(const LevelShare::Range& a, const LevelShare::Range& b) {
  return a.first == b.first && a.end == b.end;
}

}  // namespace

LevelShare::LevelShare(const std::array<Index, 3>& extent) : whole_(extent) {
  for (std::size_t a = 0; a < 3; ++a) here_[a] = {0, extent[a]};
}

LevelShare::LevelShare(std::shared_ptr<const Box> box) : ranks_(&box->communicator()) {
  std::vector<Real> told;
  for (int a = 0; a < 3; ++a) {
    told.push_back(static_cast<Real>(box->own_first(a)));
    told.push_back(static_cast<Real>(box->own_first(a) + box->own_count(a)));
  }
  const std::vector<Real> all = ranks_->gathered(told);
  own_.resize(static_cast<std::size_t>(ranks_->size()));
  const Real* next = all.data();
  for (Ranges& of_rank : own_)
    for (std::size_t a = 0; a < 3; ++a, next += 2) {
      of_rank[a] = {static_cast<Index>(next[0]), static_cast<Index>(next[1])};
      whole_[a] = std::max(whole_[a], of_rank[a].end);
    }
  lay_out();
}

LevelShare LevelShare::coarser(const std::array<bool, 3>& paired) const {
  std::array<Index, 3> extent = whole_;
  for (std::size_t a = 0; a < 3; ++a)
    if (paired[a]) extent[a] = (extent[a] + 1) / 2;
  LevelShare result(extent);
  if (!has_halo_) return result;
  result.ranks_ = ranks_;
  result.own_ = own_;
  for (Ranges& of_rank : result.own_)
    for (std::size_t a = 0; a < 3; ++a) of_rank[a] = joined(of_rank[a], paired[a]);
  result.lay_out();
  return result;
}

void LevelShare::lay_out() {
  has_halo_ = whole_size() > fewest_unknowns;
  for (const Ranges& of_rank : own_)
    for (std::size_t a = 1; a < 3; ++a)
      has_halo_ = has_halo_ && (of_rank[a].count() == whole_[a] || of_rank[a].count() >= fewest_rows);
  const Ranges& own = own_[static_cast<std::size_t>(ranks_->rank())];
  for (std::size_t a = 0; a < 3; ++a)
    here_[a] = has_halo_ ? with_halo(own[a], whole_[a]) : Range{0, whole_[a]};
  if (has_halo_) find_neighbours();
}

void LevelShare::find_neighbours() {
  const Ranges& mine = own_[static_cast<std::size_t>(ranks_->rank())];
  for (const std::size_t a : {std::size_t{1}, std::size_t{2}})
    for (std::size_t r = 0; r < own_.size(); ++r) {
      const Ranges& other = own_[r];
      const std::size_t across = 3 - a;
      const bool above = other[a].first == mine[a].end, below = other[a].end == mine[a].first;
      if (!same(other[across], mine[across]) || (!above && !below)) continue;
      const Range there = with_halo(other[a], whole_[a]);
      const auto counted_here = [&](Index first, Index end) {
        return Range{first - here_[a].first, end - here_[a].first};
      };
      neighbours_.push_back(
          {static_cast<int>(a), static_cast<int>(r),
           above ? counted_here(there.first, mine[a].end) : counted_here(mine[a].first, there.end),
           above ? counted_here(mine[a].end, here_[a].end) : counted_here(here_[a].first, mine[a].first)});
    }
}

LevelShare::Range LevelShare::own(int axis) const {
  const auto a = static_cast<std::size_t>(axis);
  if (!ranks_) return {0, here_[a].count()};
  const Range& range = own_[static_cast<std::size_t>(ranks_->rank())][a];
  return {range.first - here_[a].first, range.end - here_[a].first};
}

void LevelShare::complete(std::vector<float>& values) const {
  if (!ranks_) return;
  has_halo_ ? exchange(values) : gather(values);
}

Real LevelShare::summed(Real own) const {
  if (!has_halo_) return own;
  Real sum = 0;
  for (const Real of_rank : ranks_->gathered(std::span(&own, 1))) sum += of_rank;
  return sum;
}

// Axis after axis, so that what came along one is sent on along the next and fills the corners.
void LevelShare::exchange(std::vector<float>& values) const {
  const std::array<Index, 3> size = extent();
  const auto each_row = [&](int axis, const Range& rows, const auto& visit) {
    const Index stride = axis == 1 ? size[0] : size[0] * size[1], slabs = axis == 1 ? size[2] : 1;
    for (Index slab = 0; slab < slabs; ++slab)
      visit(values.data() + slab * size[0] * size[1] + stride * rows.first, stride * rows.count());
  };
  for (const int axis : {1, 2}) {
    std::vector<std::vector<Real>> sent, received;
    std::vector<const Neighbour*> others;
    for (const Neighbour& n : neighbours_)
      if (n.axis == axis) others.push_back(&n);
    if (others.empty()) continue;
    std::vector<Communicator::Message> messages;
    const Index across = size[0] * size[1] * size[2] / size[static_cast<std::size_t>(axis)];
    sent.resize(others.size());
    received.resize(others.size());
    for (std::size_t m = 0; m < others.size(); ++m) {
      each_row(axis, others[m]->sent,
               [&](const float* row, Index count) { sent[m].insert(sent[m].end(), row, row + count); });
      received[m].resize(static_cast<std::size_t>(across * others[m]->received.count()));
      messages.push_back({others[m]->rank, sent[m], received[m]});
    }
    ranks_->exchange(messages);
    for (std::size_t m = 0; m < others.size(); ++m) {
      const Real* next = received[m].data();
      each_row(axis, others[m]->received, [&](float* row, Index count) {
        for (Index i = 0; i < count; ++i) row[i] = static_cast<float>(next[i]);
        next += count;
      });
    }
  }
}

void LevelShare::gather(std::vector<float>& values) const {
  const auto each_row = [&](const Ranges& rows, const auto& visit) {
    for (Index k = rows[2].first; k < rows[2].end; ++k)
      for (Index j = rows[1].first; j < rows[1].end; ++j)
        visit(values.data() + whole_[0] * (j + whole_[1] * k));
  };
  std::vector<Real> sent;
  each_row(own_[static_cast<std::size_t>(ranks_->rank())],
           [&](const float* row) { sent.insert(sent.end(), row, row + whole_[0]); });
  const std::vector<Real> all = ranks_->gathered(sent);
  const Real* next = all.data();
  for (const Ranges& of_rank : own_)
    each_row(of_rank, [&](float* row) {
      for (Index i = 0; i < whole_[0]; ++i) row[i] = static_cast<float>(next[i]);
      next += whole_[0];
    });
}

}  // namespace williwaw
