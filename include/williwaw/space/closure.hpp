// The closure of a wall: its conditions' laws turned into q = alpha − beta·u for the unknown next to each
// face. The explicit step, the matrix, the stencil, the budget and values beyond the wall all read this.
#pragma once

#include <algorithm>

#include "williwaw/balance/balance.hpp"
#include "williwaw/balance/ledger.hpp"
#include "williwaw/space/couplings.hpp"
#include "williwaw/space/outflow.hpp"

namespace williwaw {

class Closure {
 public:
  /// `grid` and `couplings` are asked for what does not change.
  Closure(const Grid& grid, WallSection section, const Couplings& couplings);

  const WallSection& section() const { return section_; }
  /// Some of its faces fix the value of unknowns that lie on the wall.
  bool pins() const { return pins_; }
  /// Face f fixes the value of its unknown: a held value, with the unknown on the wall.
  bool pins(Index face) const { return pins_ && pinned_[face]; }
  /// Some of its faces fix their unknowns and others do not.
  bool pins_in_part() const { return pins_ && std::ranges::find(pinned_, 0) != pinned_.end(); }
  /// Its data or its left side change in time.
  bool depends_on_time() const { return on_time_; }
  /// Its left side changes in time, or looks at a conductivity that does.
  bool left_side_depends_on_time() const { return left_on_time_; }
  bool is_linear() const { return linear_; }
  /// Nothing flows through at the time of the last update.
  bool idle() const { return idle_; }

  /// Evaluates the laws for this time unless they are there already. `couplings` are those of the same time,
  /// `changed` says that they are not those of the last call. A nonlinear law is stated about `y`, so that
  /// its flow is exact there and `pull` is the derivative.
  void update(const Couplings& couplings, Real time, bool changed, const State& y);

  Index faces() const { return static_cast<Index>(section_.faces.size()); }
  const WallFace& face(Index f) const { return section_.faces[f]; }
  Index unknown(Index f) const { return section_.faces[f].unknown; }
  Real area(Index f) const { return section_.faces[f].area; }
  /// Faces of line n of unknowns along the first axis: from first_of_line(n) to first_of_line(n + 1).
  Index first_of_line(Index line) const { return first_of_line_[line]; }
  /// Flow into the domain through a face, area included: inflow − pull·u. Zero for faces that pin.
  Real inflow(Index face) const { return inflow_[face]; }
  Real pull(Index face) const { return pull_[face]; }
  /// Value that a face which pins sets.
  Real pinned_value(Index face) const { return target_[face]; }
  /// Force against the motion of the unknown beside a face, per rate: of laws that contain du/dt, where the
  /// unknown lies on the wall.
  Real drag(Index face) const { return drag_.empty() ? 0 : drag_[face]; }
  /// Some face resists the motion.
  bool drags() const {
    for (const Real d : drag_)
      if (d != 0) return true;
    return false;
  }
  /// The values on the wall are no data: they follow from the motion beside it, by `follow`.
  bool moves() const { return !moving_.empty(); }
  /// The wall imposes its value, moving or not, whatever force that takes.
  bool imposes() const { return section_.wall.holds() || moves(); }
  /// The values that the law prescribes at places on the wall; empty for laws in which the flux or a rate
  /// takes part.
  std::vector<Real> prescribed_at(const Points& places, Real time) const;
  /// Where the faces are, on the wall.
  const Points& places() const { return places_; }
  /// Where a moving wall stands before it is followed.
  void stand_at(std::span<const Real> values) { moving_.assign(values.begin(), values.end()); }
  /// Values on a moving wall and their rates, with the motion beside it.
  void place(std::span<const Real> values, std::span<const Real> rates, Real step,
             const Outflow::Motion& now);
  /// Moves the values on the wall on from time `at` to at + step, while the unknowns went from `before` to
  /// `after`; of faces that lie on so many other walls besides, from 0 upwards.
  void follow(Real at, Real step, const State& before, const State& after, int corners);
  std::span<const Real> moving() const { return moving_; }
  /// What a moving wall remembers, to be written down, and taken up again.
  std::vector<Real> remember() const;
  void recall(std::span<const Real> numbers);
  /// The unknown on the wall itself when the unknown next to it is `u`.
  Real wall_value(Index face, Real u) const;
  /// Where this wall pulls the unknown to, and how fast what it imposes can change the unknown beside it.
  const Drive& drive() const { return drive_; }

  /// Each condition's own part of the flow, in the order of the wall's conditions.
  std::size_t conditions() const { return shares_.size(); }
  Real flow_of(std::size_t condition, Index face, Real u) const {
    return shares_[condition].inflow[face] - shares_[condition].pull[face] * u;
  }
  /// The condition that lets a stream through; the first one where none does.
  std::size_t carrying() const { return carrying_; }
  /// Ledger line of each condition.
  const std::vector<LedgerLine>& lines() const { return lines_; }
  /// Declares them; the id of a condition's is known from then on.
  void declare(LedgerLines& lines);
  LineId line(std::size_t condition = 0) const { return ids_[condition]; }

 private:
  struct Share {
    std::vector<Real> inflow, pull;
  };
  void move_to(std::span<const Real> values);
  LawLine state_laws(Real time, std::span<const Real> about, std::vector<LawLine>& laws) const;
  void close(const std::vector<LawLine>& laws, const LawLine& sum);
  void sum_up(const LawLine& sum);

  WallSection section_;
  Points places_;
  std::vector<Index> first_of_line_;
  std::vector<Real> capacities_, inflow_, pull_, target_, about_, drag_;
  Couplings::AtWall at_wall_;
  LawLine law_{0};  ///< the sum of all conditions, of moving walls
  std::unique_ptr<Outflow> outflow_;
  std::vector<Real> moving_;  ///< values on a wall whose law contains du/dt
  std::vector<char> pinned_;
  std::vector<char> close_;  ///< of moving walls: faces whose unknown feels the wall itself
  Drive drive_;
  std::vector<Share> shares_;
  std::vector<LedgerLine> lines_;
  std::vector<LineId> ids_;
  std::size_t carrying_ = 0;
  bool pins_ = false;
  bool on_time_ = false;
  bool left_on_time_ = false;
  bool linear_ = true;
  bool idle_ = false;
  bool ready_ = false;
  Real time_ = 0;
};

}  // namespace williwaw
