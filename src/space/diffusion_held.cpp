// Nodes that walls hold: which they are, what they are set to, and what their walls supplied for it.
#include <algorithm>

#include "williwaw/space/diffusion_balance.hpp"

namespace williwaw {

void DiffusionBalance::find_held() {
  // Gathered from the walls, so that nothing is stored for unknowns that no wall holds.
  std::vector<std::pair<Index, Holder>> found;
  for (std::size_t c = 0; c < closures_.size(); ++c)
    for (Index f = 0; closures_[c].pins() && f < closures_[c].faces(); ++f)
      if (closures_[c].pins(f)) found.push_back({closures_[c].unknown(f), {c, f}});
  std::ranges::stable_sort(found, {}, &std::pair<Index, Holder>::first);
  for (const auto& [unknown, holder] : found) {
    if (held_.empty() || held_.back() != unknown) {
      held_.push_back(unknown);
      holders_.emplace_back();
    } else {
      shared_.push_back(held_.size() - 1);
    }
    holders_.back().push_back(holder);
  }
  shared_.erase(std::unique(shared_.begin(), shared_.end()), shared_.end());
  for (Index line = 0; line <= grid().lines(); ++line)
    held_start_.push_back(
        static_cast<std::size_t>(std::ranges::lower_bound(held_, line * grid().size(0)) - held_.begin()));
}

const std::vector<Real>& DiffusionBalance::held_values(Real at) {
  for (auto& closure : closures_)
    if (closure.pins()) closure.update(couplings_, at, false, initial_);
  auto& values = workspace_.held_values;
  values.assign(held_.size(), 0.0);
  for (std::size_t h = 0; h < held_.size(); ++h) values[h] = choose_held(holders_[h]);
  return values;
}

// Where several walls hold one node the first that `corners` names decides; without one it takes the mean of
// what the walls say, each of them heard once however many faces it has there.
Real DiffusionBalance::choose_held(const std::vector<Holder>& holders) const {
  const auto value = [&](const Holder& h) { return closures_[h.closure].pinned_value(h.face); };
  if (holders.size() == 1) return value(holders[0]);
  for (const std::string& name : problem_.corners)
    for (const Holder& h : holders)
      if (const WallSection& s = closures_[h.closure].section(); s.name == name || s.side == name)
        return value(h);
  Real sum = 0;
  std::vector<std::size_t> heard;
  for (const Holder& h : holders)
    if (std::ranges::find(heard, h.closure) == heard.end()) {
      heard.push_back(h.closure);
      sum += value(h);
    }
  return sum / static_cast<Real>(heard.size());
}

void DiffusionBalance::pin(Real at, State& y) {
  const std::vector<Real>& values = held_values(at);
  for (std::size_t h = 0; h < held_.size(); ++h) y[held_[h]] = values[h];
}

// Empty sums for every closure.
std::vector<TreeSum<Real>>& DiffusionBalance::cleared_by_closure() {
  workspace_.by_closure.resize(closures_.size());
  for (auto& sum : workspace_.by_closure) sum.clear();
  return workspace_.by_closure;
}

// What was missing at every held unknown, on the lines of the walls that hold it, by area.
void DiffusionBalance::book_each_held(const std::function<Real(std::size_t)>& amount, Ledger& amounts) {
  auto& booked = cleared_by_closure();
  for (std::size_t h = 0; h < held_.size(); ++h) {
    const Real whole = amount(h);
    Real area = 0;
    for (const auto& holder : holders_[h]) area += closures_[holder.closure].area(holder.face);
    for (const auto& holder : holders_[h])
      booked[holder.closure].leaf(segments_.of_cell(held_[h])) +=
          whole * closures_[holder.closure].area(holder.face) / area;
  }
  for (std::size_t c = 0; c < closures_.size(); ++c) amounts[closures_[c].line()] += booked[c].sum();
}

// At a node that walls of several axes hold, what is missing is shared by area. That alone would be wrong by
// as much as the walls' fluxes differ; each wall must first supply what leaves along its own axis. What is
// booked here sums to zero over the walls of a node and makes their flows second-order accurate.
void DiffusionBalance::book_shared(const State& y, Parts parts, Real weight, Ledger& ledger) {
  FaceSystem shape;
  shape.extent = {grid().size(0), grid().size(1), grid().size(2)};
  for (int a = 0; a < grid().rank(); ++a) shape.periodic[a] = grid().axis(a).periodic();
  auto& booked = cleared_by_closure();
  for (const std::size_t h : shared_) {
    const Index n = held_[h];
    std::array<Real, 3> along{0, 0, 0}, across{0, 0, 0};
    Real area = 0, sum = 0;
    for (const auto& holder : holders_[h]) {
      const int a = closures_[holder.closure].face(holder.face).axis;
      area += closures_[holder.closure].area(holder.face);
      across[a] += closures_[holder.closure].area(holder.face);
      if (!parts.has(Parts::flux(a)) || along[a] != 0) continue;
      for (const bool up : {false, true})
        if (const Index other = shape.neighbour(n, a, up); other >= 0)
          along[a] += couplings_.conductance(n, a, up) * (y[other] - y[n]);
      sum += along[a];
    }
    for (const auto& holder : holders_[h]) {
      const WallFace& face = closures_[holder.closure].face(holder.face);
      booked[holder.closure].leaf(segments_.of_cell(n)) +=
          weight * face.area * (sum / area - along[face.axis] / across[face.axis]);
    }
  }
  for (std::size_t c = 0; c < closures_.size(); ++c) ledger[closures_[c].line()] += booked[c].sum();
}

void DiffusionBalance::book_held(const State& missing, Ledger& amounts) {
  book_each_held([&](std::size_t h) { return missing[held_[h]]; }, amounts);
}

}  // namespace williwaw
