// Room for the lines that one thread works on.
#pragma once

#include "williwaw/terms/advection_term.hpp"

namespace williwaw {

struct AdvectionWorkspace final : TermScratch {
  explicit AdvectionWorkspace(Index nx) {
    const auto size = static_cast<std::size_t>(nx + 1);
    padded.resize(size + 6);
    for (auto* line : {&left, &right, &next_left, &below, &above, &beyond, &conductance})
      line->resize(size + 1);
    law.resize(4 * size);
  }
  void begin() override {
    line_above = -1;
    left_of = -1;
  }

  std::vector<Real> padded, left, right, next_left, below, above, beyond, conductance, law;
  std::array<std::vector<Real>, 12> parts;  ///< of fluxes that are reconstructed
  Index left_of = -1;     ///< the row of faces across the second axis whose left values stand in `next_left`
  Index line_above = -1;  ///< whose upper faces along the second axis stand in `above`
};

}  // namespace williwaw
