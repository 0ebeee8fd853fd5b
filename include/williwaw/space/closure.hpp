// The closure of a wall: its conditions' laws turned into q = alpha − beta·u for the unknown next to each
// face. The explicit step, the matrix, the stencil, the budget and values beyond the wall all read this.
#pragma once

#include "williwaw/space/balance.hpp"
#include "williwaw/space/couplings.hpp"
#include "williwaw/space/ledger.hpp"

namespace williwaw {

class Closure {
 public:
  Closure(const Grid& grid, Side side, const Wall& wall, const Couplings& couplings);

  Side side() const { return side_; }
  /// The wall fixes the value of unknowns that lie on it (unknowns at nodes, Dirichlet).
  bool pins() const { return pins_; }
  /// Its data or its left side change in time.
  bool depends_on_time() const { return on_time_; }
  /// Its left side changes in time, or looks at a conductivity that does.
  bool left_side_depends_on_time() const { return left_on_time_; }
  /// Nothing flows through at the time of the last update.
  bool idle() const { return idle_; }

  /// Evaluates the laws for this time unless they are there already. `couplings` are those of the same time,
  /// `changed` says that they are not those of the last call.
  void update(const Couplings& couplings, Real time, bool changed);

  Index faces() const { return static_cast<Index>(unknowns_.size()); }
  Index unknown(Index face) const { return unknowns_[face]; }
  Real area(Index face) const { return areas_[face]; }
  /// Flow into the domain through a face, area included: inflow − pull·u. Not for walls that pin.
  Real inflow(Index face) const { return inflow_[face]; }
  Real pull(Index face) const { return pull_[face]; }
  /// Value that a wall which pins sets.
  Real pinned_value(Index face) const { return target_[face]; }
  /// The unknown on the wall itself when the unknown next to it is `u`.
  Real wall_value(Index face, Real u) const;
  /// Where this wall pulls the unknown to, and how fast what it imposes can change the unknown beside it.
  const Drive& drive() const { return drive_; }

  /// Each condition's own part of the flow, in the order of the wall's conditions.
  std::size_t conditions() const { return shares_.size(); }
  Real flow_of(std::size_t condition, Index face, Real u) const {
    return shares_[condition].inflow[face] - shares_[condition].pull[face] * u;
  }
  /// Ledger line of each condition.
  const std::vector<LedgerLine>& lines() const { return lines_; }

 private:
  struct Share {
    std::vector<Real> inflow, pull;
  };
  void close(const std::vector<LawLine>& laws, const LawLine& sum);
  void sum_up(const LawLine& sum);

  Side side_;
  Wall wall_;
  Points places_;
  std::vector<Index> unknowns_;
  std::vector<Real> areas_, capacities_, conductivity_, conductance_, inflow_, pull_, target_;
  Drive drive_;
  std::vector<Share> shares_;
  std::vector<LedgerLine> lines_;
  bool pins_ = false;
  bool on_time_ = false;
  bool left_on_time_ = false;
  bool idle_ = false;
  bool ready_ = false;
  Real time_ = 0;
};

}  // namespace williwaw
