#include "williwaw/domain/domain.hpp"

#include <unistd.h>

#include "grid/threads.hpp"

namespace williwaw {

namespace {

Index cache_of_core() {
  const long known = sysconf(_SC_LEVEL2_CACHE_SIZE);
  return known > 0 ? Index{known} : Index{1} << 20;
}

}  // namespace

Domain::Domain(Grid grid, Outline outline, Execution execution)
    : grid_(std::move(grid)),
      outline_(std::move(outline)),
      box_(execution.decomposition
               ? std::make_shared<const Box>(grid_, *execution.decomposition, *execution.communicator)
               : std::make_shared<const Box>(grid_)),
      threads_(threads_for(grid_.count(), execution.threads)),
      cache_(execution.cache > 0 ? execution.cache : cache_of_core()) {
  const Index nx = grid_.size(0);
  for (Index line = 0; line < grid_.lines(); ++line) {
    Real product = 1;
    if (grid_.dimension() > 1) product *= grid_.axis(1).measures()[line % grid_.size(1)];
    if (grid_.dimension() > 2) product *= grid_.axis(2).measures()[line / grid_.size(1)];
    across_.push_back(product);
  }
  if (outline_.whole()) {
    runs_.push_back({0, nx});
    return;
  }
  for (Index line = 0; line < grid_.lines(); ++line) {
    first_run_.push_back(runs_.size());
    for (Index i = 0; i < nx; ++i) {
      if (!outline_.active(nx * line + i)) {
        inactive_.push_back(nx * line + i);
        continue;
      }
      if (runs_.size() > first_run_.back() && runs_.back().first + runs_.back().count == i)
        ++runs_.back().count;
      else
        runs_.push_back({i, 1});
    }
  }
  first_run_.push_back(runs_.size());
}

}  // namespace williwaw
