// Pieces of a domain that nothing fixes.
#pragma once

#include <vector>

#include "williwaw/balance/linear_system.hpp"

namespace williwaw {

/// Pieces that open faces join and that no boundary, source or storage fixes, in increasing order of
/// unknowns; prescribed unknowns are in none of them.
struct FloatingPieces {
  std::vector<std::vector<Index>> pieces;
  /// One piece, and nothing else that is free.
  bool whole = false;
};

FloatingPieces find_floating(const FaceSystem& system);

}  // namespace williwaw
