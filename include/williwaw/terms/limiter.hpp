// Limited slopes: how steeply an unknown rises inside a cell, from its neighbours.
#pragma once

#include <string>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Difference across a cell from the differences to its neighbours before and after; 0 where they differ in
/// sign, but for "first-order" (always 0) and "central" (their mean, unlimited).
using Slope = Real (*)(Real before, Real after);

struct LimiterKind {
  std::string name;
  Slope slope;
};

/// first-order, minmod (Roe, 1986), van-leer (van Leer, 1974), monotonized-central (van Leer, 1977), superbee
/// (Roe, 1986).
const std::vector<LimiterKind>& limiter_kinds();
/// Throws InputError for a name that is not there.
const LimiterKind& limiter_kind(const std::string& name);

}  // namespace williwaw
