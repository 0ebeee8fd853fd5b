// How control volumes that several regions meet in are shared between them.
#pragma once

#include "williwaw/grid/region.hpp"

namespace williwaw {

/// Volumes of regions within control volumes that hold more than one, to second order in the grid's spacing
/// and exact where regions end along faces, halves of cells or at planes across the axes.
class RegionFractions {
 public:
  struct Part {
    Index unknown;
    int label;
    Real volume;
  };

  RegionFractions() = default;
  RegionFractions(const Grid& grid, const Regions& regions);

  /// In increasing order of unknowns; control volumes that one region fills are not listed.
  const std::vector<Part>& mixed() const { return mixed_; }

 private:
  std::vector<Part> mixed_;
};

}  // namespace williwaw
