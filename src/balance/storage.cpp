#include "williwaw/balance/storage.hpp"

#include <algorithm>
#include <cmath>

#include "balance/lane_totals.hpp"

namespace williwaw {

namespace {

// Some of a line, segment by segment.
template <class Sums>
WILLIWAW_INLINE inline void total_by(Index first, Index end, const Real* u, const Sums& sums,
                                     Totals* of_segments) {
  each_segment(first, end, [&](Index s, Index begin, Index next) WILLIWAW_INLINE {
    LaneTotals lanes;
    by_lanes(
        begin, next,
        [&](Index i, Index k) WILLIWAW_INLINE {
          sums.add(lanes, i, k, u[i]);
          lanes.see(k, u[i]);
        },
        fetch_nothing);
    sums.close(lanes, of_segments[s], s);
    lanes.extremes(of_segments[s]);
  });
}

// Sums of what is known for each unknown: `known(i, u)` tells what it stores, and its volume times the value.
template <class Known>
struct SumsOfEach {
  Known known;
  WILLIWAW_INLINE void add(LaneTotals& lanes, Index i, Index k, Real v) const {
    const auto [stored, amount] = known(i, v);
    lanes.first[k] += stored;
    lanes.second[k] += std::abs(stored);
    lanes.third[k] += amount;
  }
  WILLIWAW_INLINE void close(const LaneTotals& lanes, Totals& totals, Index) const {
    totals.content += sum_of_lanes(lanes.first);
    totals.gross += sum_of_lanes(lanes.second);
    totals.integral += sum_of_lanes(lanes.third);
  }
};
struct StoredAndAmount {
  Real stored, amount;
};

// capacity[i] = storage·widths[i]·across where `capacity` is null.
WILLIWAW_CLONES
void total(Index first, Index end, const Real* u, const Real* widths, Real across, Real storage,
           const Real* capacity, Totals* of_segments) {
  const auto known = [=](Index i, Real v) WILLIWAW_INLINE {
    const Real amount = across * widths[i] * v;
    return StoredAndAmount{capacity ? capacity[i] * v : storage * amount, amount};
  };
  total_by(first, end, u, SumsOfEach<decltype(known)>{known}, of_segments);
}

// As kernels count what they make: what lies between the ends of a line side by side, the ends by themselves.
WILLIWAW_CLONES
void total_of_line(Index first, Index end, Index count, const Real* u, const Real* widths, Real across,
                   const LineCapacity& capacity, bool even, Totals* of_segments) {
  const Index begin = std::max<Index>(first, 1), last = std::min(end, count - 1);
  if (even)
    total_by(begin, last, u, EvenSums{capacity.factor * capacity.values[1], across * widths[1]}, of_segments);
  else if (!capacity.of_each)
    total_by(begin, last, u, SumsByWidth{widths, capacity.factor, across}, of_segments);
  else
    total_by(begin, last, u, SumsByCapacity{capacity.values, widths, across}, of_segments);
  for (const Index i : {Index{0}, count - 1}) {
    if (i < first || i >= end) continue;
    Totals& totals = of_segments[i / segment_cells];
    const Real stored = capacity(i) * u[i];
    totals.content += stored;
    totals.gross += std::abs(stored);
    totals.see(u[i], across * widths[i]);
  }
}

WILLIWAW_CLONES
void total_of_amounts(Index first, Index end, const Real* u, const Real* widths, Real across,
                      const Real* amounts, Totals* of_segments) {
  const auto known = [=](Index i, Real v) WILLIWAW_INLINE {
    return StoredAndAmount{amounts[i], across * widths[i] * v};
  };
  total_by(first, end, u, SumsOfEach<decltype(known)>{known}, of_segments);
}

WILLIWAW_CLONES void combine_line(Index count, const Real* start, const Real* u, Real fraction,
                                  const Real* flow, Real scale, const Real* width, Real* __restrict out) {
  const Real rest = 1 - fraction;
  for (Index i = 0; i < count; ++i) out[i] = rest * start[i] + fraction * u[i] + scale * flow[i] / width[i];
}

// The same for one width.
WILLIWAW_CLONES void combine_evenly(Index count, const Real* start, const Real* u, Real fraction,
                                    const Real* flow, Real scale, Real* __restrict out) {
  const Real rest = 1 - fraction;
  if (fraction == 1)
    for (Index i = 0; i < count; ++i) out[i] = u[i] + scale * flow[i];
  else
    for (Index i = 0; i < count; ++i) out[i] = rest * start[i] + fraction * u[i] + scale * flow[i];
}

}  // namespace

Storage::Storage(std::shared_ptr<const Domain> domain, std::vector<Real> volumes)
    : domain_(std::move(domain)), volumes_(std::move(volumes)) {}

void Storage::count(Index line, const Real* u, Index first, Index end, Totals* of_segments) const {
  const Grid& g = domain_->grid();
  const Index nx = g.size(0);
  std::vector<Real> amounts(static_cast<std::size_t>(nx));
  amount(line, u, amounts.data());
  const bool cut = !volumes_.empty();
  total_of_amounts(first, end, u, cut ? volumes_.data() + nx * line : g.axis(0).measures().data(),
                   cut ? 1 : domain_->across(line), amounts.data(), of_segments);
}

namespace {
// A change of the amount beyond so many times the one told is too much; the least that is always allowed.
constexpr Real overshoot = 2, least_change = 0.05;
constexpr int looks_for_fraction = 30;
}  // namespace

void Storage::limit_change(Index line, const Real* u, Real* change) const {
  if (linear()) return;
  const auto nx = static_cast<std::size_t>(domain_->grid().size(0));
  std::vector<Real> before(nx), slopes(nx), there(nx), now(nx);
  amount(line, u, before.data());
  slope(line, u, slopes.data());
  for (std::size_t i = 0; i < nx; ++i) there[i] = u[i] + change[i];
  amount(line, there.data(), now.data());
  struct Search {
    std::size_t unknown;
    Real wanted, low = 0,
                 high = 1;  // fractions of the change, and by what the amount misses what is wanted there
    Real below, above;
  };
  std::vector<Search> searches;
  for (std::size_t i = 0; i < nx; ++i) {
    const Real told = std::abs(slopes[i] * change[i]),
               allowed = std::max(told, least_change * std::abs(before[i]));
    const Real found = std::abs(now[i] - before[i]);
    if (found > overshoot * allowed) searches.push_back({i, allowed, 0, 1, -allowed, found - allowed});
  }
  // By false position with halved ends (Dowell and Jarratt, 1971), all unknowns of the line at once.
  for (int look = 0; look < looks_for_fraction && !searches.empty(); ++look) {
    for (std::size_t i = 0; i < nx; ++i) there[i] = u[i];
    for (const Search& s : searches) {
      const Real fraction = s.low - s.below * (s.high - s.low) / (s.above - s.below);
      there[s.unknown] = u[s.unknown] + fraction * change[s.unknown];
    }
    amount(line, there.data(), now.data());
    std::erase_if(searches, [&](Search& s) {
      const std::size_t i = s.unknown;
      const Real fraction = (there[i] - u[i]) / change[i], misses = std::abs(now[i] - before[i]) - s.wanted;
      const bool near = std::abs(misses) <= 0.1 * s.wanted || look + 1 == looks_for_fraction;
      if (near) {
        change[i] *= fraction;
        return true;
      }
      if (misses > 0) {
        s.high = fraction;
        s.above = misses;
        s.below *= 0.5;
      } else {
        s.low = fraction;
        s.below = misses;
        s.above *= 0.5;
      }
      return false;
    });
  }
}

LinearStorage::LinearStorage(std::shared_ptr<const Domain> domain, Real per_volume)
    : Storage(std::move(domain)), per_volume_(per_volume) {}

LinearStorage::LinearStorage(std::shared_ptr<const Domain> domain, std::vector<Real> capacities,
                             std::vector<Real> volumes)
    : Storage(std::move(domain), std::move(volumes)), capacities_(std::move(capacities)) {
  expect(static_cast<Index>(capacities_.size()) == this->domain().grid().count(),
         "LinearStorage: a capacity for each control volume");
}

void LinearStorage::amount(Index line, const Real* u, Real* q) const {
  const LineCapacity capacity = of_line(line);
  const Index nx = domain().grid().size(0);
  for (Index i = 0; i < nx; ++i) q[i] = capacity(i) * u[i];
}

void LinearStorage::slope(Index line, const Real*, Real* slope) const {
  const LineCapacity capacity = of_line(line);
  const Index nx = domain().grid().size(0);
  for (Index i = 0; i < nx; ++i) slope[i] = capacity(i);
}

void LinearStorage::recover(Index line, const Real* q, Real* u) const {
  const LineCapacity capacity = of_line(line);
  const Index nx = domain().grid().size(0);
  for (Index i = 0; i < nx; ++i) u[i] = q[i] / capacity(i);
}

void LinearStorage::count(Index line, const Real* u, Index first, Index end, Totals* of_segments) const {
  const Grid& g = domain().grid();
  const Index start = g.size(0) * line;
  if (volumes().empty() && g.size(0) > 2) {
    const LineCapacity capacity = of_line(line);
    total_of_line(first, end, g.size(0), u, g.axis(0).measures().data(), domain().across(line), capacity,
                  !capacity.of_each && g.axis(0).is_uniform(), of_segments);
    return;
  }
  const bool cut = !volumes().empty();
  total(first, end, u, cut ? volumes().data() + start : g.axis(0).measures().data(),
        cut ? 1 : domain().across(line), per_volume_,
        capacities_.empty() ? nullptr : capacities_.data() + start, of_segments);
}

void LinearStorage::combine(Index line, const Real* start, const Real* u, Real fraction, Real step,
                            const Real* flow, Real* out) const {
  const LineCapacity capacity = of_line(line);
  const Axis& axis = domain().grid().axis(0);
  if (!capacity.of_each && axis.is_uniform() && axis.unknowns() == Unknowns::cells)
    combine_evenly(axis.size(), start, u, fraction, flow, step / capacity(0), out);
  else
    combine_line(axis.size(), start, u, fraction, flow, step / capacity.factor, capacity.values, out);
}

}  // namespace williwaw
