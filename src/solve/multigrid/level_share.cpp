#include "level_share.hpp"

#include <algorithm>

#include "domain/halo_exchange.hpp"

namespace williwaw {

namespace {

// Rows beside its own that a rank looks at: two of the next pair and the one after it. It begins with the
// first of a pair, so that colours and pairs are those of the whole level.
constexpr Index beside = 3;
// A rank has as many rows of its own as others may ask for, and a level of fewer unknowns is not worth a
// message to each of its neighbours.
constexpr Index fewest_rows = 2 * (beside + 1), fewest_unknowns = 4096;

RowRange joined(const RowRange& own, bool paired) {
  return paired ? RowRange{(own.first + 1) / 2, (own.end + 1) / 2} : own;
}

}  // namespace

LevelShare::LevelShare(const std::array<Index, 3>& extent, const std::array<bool, 3>& periodic)
    : whole_(extent), periodic_(periodic) {
  for (std::size_t a = 0; a < 3; ++a) here_[a] = {0, extent[a]};
}

LevelShare::LevelShare(const Box& box, const std::array<bool, 3>& periodic)
    : ranks_(&box.communicator()), periodic_(periodic), own_(box.own_of_all()) {
  for (const Ranges& of_rank : own_)
    for (std::size_t a = 0; a < 3; ++a) whole_[a] = std::max(whole_[a], of_rank[a].end);
  lay_out();
}

LevelShare LevelShare::coarser(const std::array<bool, 3>& paired) const {
  std::array<Index, 3> extent = whole_;
  for (std::size_t a = 0; a < 3; ++a)
    if (paired[a]) extent[a] = (extent[a] + 1) / 2;
  LevelShare result(extent, periodic_);
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
    for (std::size_t a = 1; a < 3; ++a) {
      // Of an odd number of rows around an axis the last one has no partner, and colours meet there.
      const bool shared = of_rank[a].count() >= fewest_rows && (!periodic_[a] || whole_[a] % 2 == 0);
      has_halo_ = has_halo_ && (of_rank[a].count() == whole_[a] || shared);
    }
  const Ranges& own = own_[static_cast<std::size_t>(ranks_->rank())];
  for (std::size_t a = 0; a < 3; ++a) here_[a] = has_halo_ ? with_halo(own[a], a) : RowRange{0, whole_[a]};
  if (has_halo_) find_neighbours();
}

RowRange LevelShare::with_halo(const RowRange& own, std::size_t axis) const {
  const Index size = whole_[axis], first = own.first - beside, end = own.end + beside + 1;
  if (own.count() == size) return own;
  if (periodic_[axis]) return {first - (first % 2 + 2) % 2, end};
  return {std::max<Index>(0, first) / 2 * 2, std::min(size, end)};
}

void LevelShare::find_neighbours() {
  const Ranges& mine = own_[static_cast<std::size_t>(ranks_->rank())];
  for (const std::size_t a : {std::size_t{1}, std::size_t{2}})
    for (std::size_t r = 0; r < own_.size(); ++r) {
      const Ranges& other = own_[r];
      if (other[3 - a] != mine[3 - a] || other[a] == mine[a]) continue;
      // Two ranks around an axis are beside each other twice, and one of them begins at its other end.
      for (const bool above : {mine[a].first != 0, mine[a].first == 0}) {
        const Index seam = above ? mine[a].end - other[a].first : mine[a].first - other[a].end;
        const bool across_it = periodic_[a] && std::abs(seam) == whole_[a];
        if (seam != 0 && !across_it) continue;
        RowRange there = with_halo(other[a], a);
        there = {there.first + seam, there.end + seam};
        const auto counted_here = [&](Index first, Index end) {
          return RowRange{first - here_[a].first, end - here_[a].first};
        };
        neighbours_.push_back(
            {static_cast<int>(a), static_cast<int>(r),
             above ? counted_here(there.first, mine[a].end) : counted_here(mine[a].first, there.end),
             above ? counted_here(mine[a].end, here_[a].end) : counted_here(here_[a].first, mine[a].first)});
      }
    }
}

RowRange LevelShare::own(int axis) const {
  const auto a = static_cast<std::size_t>(axis);
  if (!ranks_) return {0, here_[a].count()};
  const RowRange& range = own_[static_cast<std::size_t>(ranks_->rank())][a];
  return {range.first - here_[a].first, range.end - here_[a].first};
}

void LevelShare::complete(std::vector<float>& values) const {
  if (!ranks_) return;
  if (has_halo_)
    exchange_halo(*ranks_, extent(), neighbours_, values.data());
  else
    gather(values);
}

Real LevelShare::summed(Real own) const {
  if (!has_halo_) return own;
  Real sum = 0;
  for (const Real of_rank : ranks_->gathered(std::span(&own, 1))) sum += of_rank;
  return sum;
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
