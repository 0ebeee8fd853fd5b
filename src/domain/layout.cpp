#include "williwaw/domain/layout.hpp"

#include <algorithm>

namespace williwaw {

namespace {
Index padded(const Block& b, int axis) {
  return b.extent[axis] + (b.extent[axis] > 1 ? 2 * b.halo : 0);
}
}  // namespace

Layout::Layout(std::vector<Block> blocks) : blocks_(std::move(blocks)), starts_{0} {
  for (const auto& b : blocks_) {
    if (b.components < 1 || b.halo < 0)
      throw InputError("block '" + b.name + "': needs a component at least");
    starts_.push_back(starts_.back() + b.components * padded(b, 0) * padded(b, 1) * padded(b, 2));
  }
}

Index Layout::number(int block, int component, Index i, Index j, Index k) const {
  const Block& b = blocks_[block];
  const auto shift = [&](int axis) { return b.extent[axis] > 1 ? b.halo : 0; };
  return starts_[block] + i + shift(0) +
         padded(b, 0) * (j + shift(1) + padded(b, 1) * (k + shift(2) + padded(b, 2) * component));
}

std::size_t Layout::block_of(Index number) const {
  return static_cast<std::size_t>(std::ranges::upper_bound(starts_, number) - starts_.begin()) - 1;
}

Index Layout::line(std::size_t block) const {
  return padded(blocks_[block], 0);
}

}  // namespace williwaw
