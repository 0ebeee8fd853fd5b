#include "williwaw/domain/whole_states.hpp"

#include <algorithm>
#include <map>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

WholeStates::WholeStates(const Layout& part) : layout_(&part) {
  for (const Block& block : part.blocks()) {
    if (!block.box) return;
    ranks_ = &block.box->communicator();
    own_.push_back(block.box->own_of_all());
  }
}

Index WholeStates::size() const {
  if (!ranks_) return layout_->size();
  Index size = 0;
  for (const Block& block : layout_->blocks()) size += block.box->whole_count();
  return size;
}

std::size_t WholeStates::copies(const State& state, Index size) const {
  const std::size_t copies = state.size() / static_cast<std::size_t>(size);
  expect(copies * static_cast<std::size_t>(size) == state.size() &&
             (copies <= 1 || layout_->blocks().size() == 1),
         "WholeStates: a state of the layout's size");
  return copies;
}

State WholeStates::together(const State& part, bool everywhere) const {
  if (!ranks_ || part.empty()) return part;
  const std::size_t count = copies(part, layout_->size()) * layout_->blocks().size();
  std::vector<Real> sent;
  const Real* values = part.data();
  for (std::size_t n = 0; n < count; ++n) {
    const Box& box = *layout_->blocks()[block(n)].box;
    for (Index k = 0; k < box.own_count(2); ++k)
      for (Index j = 0; j < box.own_count(1); ++j) {
        const Real* line = values + *box.here({box.own_first(0), box.own_first(1) + j, box.own_first(2) + k});
        sent.insert(sent.end(), line, line + box.own_count(0));
      }
    values += box.count();
  }
  const std::vector<Real> all = everywhere ? ranks_->gathered(sent) : ranks_->gathered_at_first(sent);
  if (all.empty()) return {};
  State whole(copies(part, layout_->size()) * static_cast<std::size_t>(size()));
  const Real* next = all.data();
  for (std::size_t rank = 0; rank < own_.front().size(); ++rank) {
    Real* start = whole.data();
    for (std::size_t n = 0; n < count; ++n) {
      const Box& box = *layout_->blocks()[block(n)].box;
      const auto& [columns, rows, planes] = own_[block(n)][rank];
      for (Index k = planes.first; k < planes.end; ++k)
        for (Index j = rows.first; j < rows.end; ++j) {
          std::copy_n(next, columns.count(), start + box.number_there({columns.first, j, k}));
          next += columns.count();
        }
      start += box.whole_count();
    }
  }
  return whole;
}

State WholeStates::part(const State& whole) const {
  if (!ranks_ || whole.empty()) return whole;
  const std::size_t count = copies(whole, size()) * layout_->blocks().size();
  State result;
  const Real* values = whole.data();
  for (std::size_t n = 0; n < count; ++n) {
    const Box& box = *layout_->blocks()[block(n)].box;
    for (Index i = 0; i < box.count(); ++i) result.push_back(values[box.there(i)]);
    values += box.whole_count();
  }
  return result;
}

namespace {

struct Told {
  int row;
  Index unknown;
  Real number;
};

// What all ranks tell of unknowns of their own, by rows and unknowns.
std::vector<Told> told_by_all(const Box& box, std::span<const Real> numbers,
                              std::span<const NumberPlace> places) {
  std::vector<Real> sent;
  for (std::size_t n = 0; n < places.size(); ++n)
    if (box.owns(places[n].unknown))
      sent.insert(sent.end(),
                  {static_cast<Real>(places[n].row), static_cast<Real>(box.there(places[n].unknown)),
                   n < numbers.size() ? numbers[n] : 0});
  const std::vector<Real> all = box.communicator().gathered(sent);
  std::vector<Told> result;
  for (std::size_t n = 0; n < all.size(); n += 3)
    result.push_back({static_cast<int>(all[n]), static_cast<Index>(all[n + 1]), all[n + 2]});
  std::ranges::stable_sort(result, {}, [](const Told& told) { return std::pair(told.row, told.unknown); });
  return result;
}

}  // namespace

std::vector<Real> WholeStates::together(std::span<const Real> numbers,
                                        std::span<const NumberPlace> places) const {
  expect(numbers.size() == places.size(), "WholeStates: a place for each number");
  if (!ranks_) return {numbers.begin(), numbers.end()};
  std::vector<Real> result;
  for (const Told& told : told_by_all(*layout_->blocks().front().box, numbers, places))
    result.push_back(told.number);
  return result;
}

std::vector<Real> WholeStates::part(std::span<const Real> numbers,
                                    std::span<const NumberPlace> places) const {
  if (!ranks_) return {numbers.begin(), numbers.end()};
  const Box& box = *layout_->blocks().front().box;
  const std::vector<Told> all = told_by_all(box, {}, places);
  if (all.size() != numbers.size()) throw InputError("the snapshot belongs to another run");
  std::map<std::pair<int, Index>, std::size_t> next;
  for (std::size_t n = 0; n < all.size(); ++n) next.try_emplace({all[n].row, all[n].unknown}, n);
  std::vector<Real> result;
  for (const NumberPlace& place : places)
    result.push_back(numbers[next.at({place.row, box.there(place.unknown)})++]);
  return result;
}

}  // namespace williwaw
