// Pieces of a domain that nothing fixes.
#pragma once

#include <span>
#include <vector>

#include "williwaw/balance/linear_system.hpp"

namespace williwaw {

/// Pieces that open faces join and that no boundary, source or storage fixes, in increasing order of their
/// first unknowns; prescribed unknowns are in none of them. Of several ranks each knows all pieces.
struct FloatingPieces {
  struct Piece {
    std::vector<Index> unknowns;  ///< of this rank's own, in increasing order
    Index first = 0;              ///< the first one's number in the whole grid
    Index count = 0;              ///< of all ranks
  };
  std::vector<Piece> pieces;
  /// One piece, and nothing else that is free.
  bool whole = false;
};

/// All ranks that share the system call it together.
FloatingPieces find_floating(const FaceSystem& system);

/// What ranks have of some sums, added up in their order; all of them call it together.
std::vector<Real> sums_by_rank(Communicator& ranks, std::span<const Real> own);

}  // namespace williwaw
