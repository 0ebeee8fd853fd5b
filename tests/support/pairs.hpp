// Two unknowns that turn into each other.
#pragma once

#include "williwaw/terms/system_terms.hpp"

namespace williwaw::test {

/// first' = second − 3·first, second' = −first': the sum stays, first − second/3 falls as exp(−4t).
inline SystemReaction turning() {
  return [](const Points&, Real, std::span<const std::span<const Real>> y, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < y[0].size(); ++i) {
      out[0][i] = y[1][i] - 3 * y[0][i];
      out[1][i] = -out[0][i];
    }
  };
}

}  // namespace williwaw::test
