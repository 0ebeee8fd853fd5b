// How a state is laid out: named blocks of unknowns, each living at cells, nodes or faces.
#pragma once

#include <array>
#include <memory>

#include "williwaw/grid/types.hpp"

namespace williwaw {

class Box;

/// All unknowns of a problem at one time, block after block.
using State = std::vector<Real>;

enum class Placement { cells, nodes, face_x, face_y, face_z };

/// Unknowns of one kind. `halo` values surround the block on each side of the axes that it has.
struct Block {
  std::string name;
  Placement placement = Placement::cells;
  std::array<Index, 3> extent{1, 1, 1};
  int components = 1;
  int halo = 0;
  /// Of which of them are a rank's own where several share a grid; null where all are.
  std::shared_ptr<const Box> box = {};
};

/// Blocks in the order in which a state holds them; within a block component after component, x fastest.
class Layout {
 public:
  Layout() = default;
  explicit Layout(std::vector<Block> blocks);
  /// One block of unknowns with this many along each axis, for those who know no more of it.
  explicit Layout(const std::array<Index, 3>& extent)
      : Layout(std::vector<Block>{{"", Placement::cells, extent}}) {}

  const std::vector<Block>& blocks() const { return blocks_; }
  /// Number of values in a state, halos included.
  Index size() const { return starts_.empty() ? 0 : starts_.back(); }
  /// Where value (i, j, k) of a component stands in the state; indices reach into the halo.
  Index number(int block, int component, Index i, Index j = 0, Index k = 0) const;
  /// Where the values of a block begin, and how many make a line along x, halo included.
  Index start(std::size_t block) const { return starts_[block]; }
  Index line(std::size_t block) const;
  /// The block in which a value of the state stands.
  std::size_t block_of(Index number) const;

 private:
  std::vector<Block> blocks_;
  std::vector<Index> starts_;
};

}  // namespace williwaw
