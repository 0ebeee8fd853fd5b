// What a thread works with on the lines of a flux of several unknowns.
#pragma once

#include "terms/systems/member_lines.hpp"

namespace williwaw {

// Lines that one thread works on: values beyond the ends of a line along x, both sides of its faces, fluxes
// of both and the fastest speeds; fluxes through the faces below and above, and above across a third axis,
// each with a last line for the velocity of unknowns that are advected by one of them.
struct SystemFluxTerm::Workspace final : TermScratch {
  Workspace(Index nx, std::size_t unknowns) {
    const auto faces = static_cast<std::size_t>(nx) + 1;
    for (auto* values : {&left, &right, &low, &high}) values->assign(unknowns, std::vector<Real>(faces));
    for (auto* values : {&below, &above, &beyond}) values->assign(unknowns + 1, std::vector<Real>(faces));
    rows.assign(unknowns, rows_of_member(nx));
    before.resize(faces);
    after.resize(faces);
    areas.resize(faces);
  }
  void begin() override { line_above = -1; }
  Values left, right, low, high, below, above, beyond;
  std::optional<WantedFlows> wanted = {};
  Index line_above = -1;  ///< whose upper faces along the second axis stand in `above`
  std::vector<RowsOfMember> rows;
  std::vector<Real> before, after;
  std::vector<Real> areas;  ///< of the faces of a line across an axis
};

}  // namespace williwaw
