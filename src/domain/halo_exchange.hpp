// Halos filled from the ranks beside this one.
#pragma once

#include <vector>

#include "williwaw/domain/box.hpp"

namespace williwaw {

/// Fills the rows that come from neighbours, in the order of axes, so that what came along one is sent on
/// along the next and fills the corners. `size` are the places here along each axis, of values that fit into
/// Reals.
template <class Number>
void exchange_halo(Communicator& ranks, const std::array<Index, 3>& size,
                   const std::vector<HaloNeighbour>& neighbours, Number* values) {
  std::array<std::vector<Real>, 2> sent, received;
  // Rows along an axis, of everything across it.
  const auto each_row = [&](int axis, const RowRange& rows, const auto& visit) {
    Index stride = 1, slabs = 1;
    for (int a = 0; a < axis; ++a) stride *= size[static_cast<std::size_t>(a)];
    for (int a = axis + 1; a < 3; ++a) slabs *= size[static_cast<std::size_t>(a)];
    for (Index slab = 0; slab < slabs; ++slab)
      visit(values + stride * (slab * size[static_cast<std::size_t>(axis)] + rows.first),
            stride * rows.count());
  };
  for (std::size_t n = 0; n < neighbours.size();) {
    std::vector<Communicator::Message> messages;
    const std::size_t begin = n;
    for (; n < neighbours.size() && neighbours[n].axis == neighbours[begin].axis; ++n) {
      const HaloNeighbour& to = neighbours[n];
      std::vector<Real>& out = sent[n - begin];
      out.clear();
      each_row(to.axis, to.sent,
               [&](const Number* row, Index count) { out.insert(out.end(), row, row + count); });
      const Index across = size[0] * size[1] * size[2] / size[static_cast<std::size_t>(to.axis)];
      received[n - begin].resize(static_cast<std::size_t>(to.received.count() * across));
      messages.push_back({to.rank, out, received[n - begin]});
    }
    ranks.exchange(messages);
    for (std::size_t m = begin; m < n; ++m) {
      const Real* next = received[m - begin].data();
      each_row(neighbours[m].axis, neighbours[m].received, [&](Number* row, Index count) {
        for (Index i = 0; i < count; ++i) row[i] = static_cast<Number>(next[i]);
        next += count;
      });
    }
  }
}

}  // namespace williwaw
