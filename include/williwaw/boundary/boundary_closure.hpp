// The closure of a boundary: its conditions' laws turned into q = alpha − beta·u for the unknown next to each
// face. The explicit step, the matrix, the stencil, the budget and values beyond the boundary all read this.
#pragma once

#include <algorithm>

#include "williwaw/balance/balance.hpp"
#include "williwaw/boundary/boundary_sections.hpp"

namespace williwaw {

/// Resistance of a unit of area that nothing diffuses through.
inline constexpr Real no_conduction = 1e100;

/// Coefficients at the faces of a section, on the boundary: conductivity along its normal, what a unit of
/// volume stores, and the resistance of a unit of area between the unknown and the boundary (0 where the
/// unknown lies on it, below 0 where it lies beyond it).
struct AtBoundary {
  std::vector<Real> conductivity, storage, resistance;
  /// Of media that depend on the unknown (`BoundaryConduction`); empty otherwise. The derivative of the
  /// conductivity by the value on the boundary; those of the resistance by the unknown beside it and by that
  /// value; by how much the potential of gravity rises from the unknown to the boundary, and for each unit of
  /// length along the outward normal.
  std::vector<Real> conductivity_slope, by_inside, by_boundary, rise, upward;
};

/// What conducts beside a boundary about a state.
class BoundaryConduction {
 public:
  virtual ~BoundaryConduction() = default;
  /// `inside` and `on_boundary` have one value for each face: of the unknown beside it, and on it.
  virtual void evaluate(Real time, std::span<const Real> inside, std::span<const Real> on_boundary,
                        AtBoundary& out) = 0;
};

/// What closures ask of whatever conducts beside them.
class BoundaryMedium {
 public:
  virtual ~BoundaryMedium() = default;
  virtual void at_boundary(const BoundarySection& section, AtBoundary& out) const = 0;
  /// Conductance between unknown n and the one before or after it along an axis; 0 beyond a boundary.
  virtual Real conductance(Index n, int axis, bool upwards) const = 0;
  /// For which time its coefficients hold; 0 where they hold for all.
  virtual Real stamp() const = 0;
  /// What it conducts depends on the unknown, or gravity acts in it: beside a section, which must outlive the
  /// result. Null for media that `at_boundary` tells all of.
  virtual std::unique_ptr<BoundaryConduction> about_state(const BoundarySection&) const { return nullptr; }
  virtual bool depends_on_state() const { return false; }
};

/// What does not change: faces, and what their conditions are like.
class BoundaryClosure {
 public:
  /// `capacities` are what the control volumes beside the faces store of a unit of the unknown.
  BoundaryClosure(const Grid& grid, BoundarySection section, std::vector<Real> capacities);

  const BoundarySection& section() const { return section_; }
  /// Some of its faces fix the value of unknowns that lie on the boundary.
  bool prescribes() const { return prescribes_; }
  /// Face f fixes the value of its unknown: a prescribed value, with the unknown on the boundary.
  bool prescribes(Index face) const { return prescribes_ && is_prescribed_[face]; }
  /// Its data or its left side change in time.
  bool depends_on_time() const { return section_.boundary.depends_on_time(); }
  /// Its left side changes in time.
  bool left_side_depends_on_time() const;
  bool is_linear() const { return section_.boundary.is_linear(); }

  Index faces() const { return static_cast<Index>(section_.faces.size()); }
  const BoundaryFace& face(Index f) const { return section_.faces[f]; }
  Index unknown(Index f) const { return section_.faces[f].unknown; }
  Real area(Index f) const { return section_.faces[f].area; }
  Real capacity(Index f) const { return capacities_[f]; }
  /// Of a flux with a limit whose unknown lies on the boundary: the thickness of the layer that it passes.
  bool has_skin() const { return !skin_.empty(); }
  Real skin(Index f) const { return skin_.empty() ? 0 : skin_[f]; }
  /// Faces of line n of unknowns along the first axis: from first_of_line(n) to first_of_line(n + 1).
  Index first_of_line(Index line) const { return first_of_line_[line]; }
  /// The values on the boundary are no data: they follow from the motion beside it.
  bool moves() const { return !close_.empty(); }
  /// Of boundaries that move: the unknown beside the face feels the boundary itself.
  bool close(Index face) const { return close_[face]; }
  /// The order of the condition that lets waves out; 1 for all others.
  int absorbing_order() const { return absorbing_order_; }
  /// Some condition contains du/dt.
  bool has_rate() const { return has_rate_; }
  /// The boundary imposes its value, moving or not, whatever force that takes.
  bool imposes() const { return section_.boundary.holds() || moves(); }
  /// The values that the law prescribes at places on the boundary; empty for laws in which the flux or a rate
  /// takes part.
  std::vector<Real> prescribed_at(const Points& places, Real time) const;
  /// Where the faces are, on the boundary.
  const Points& places() const { return places_; }

  std::size_t conditions() const { return lines_.size(); }
  /// The condition that lets advection through; the first one where none does.
  std::size_t advective_condition() const { return advective_condition_; }
  /// Ledger line of each condition.
  const std::vector<LedgerLine>& lines() const { return lines_; }
  /// Declares them, their names after `prefix`; the id of a condition's is known from then on.
  void declare(LedgerLines& lines, const std::string& prefix = {}, int unknown = 0);
  LineId line(std::size_t condition = 0) const { return ids_[condition]; }

 private:
  BoundarySection section_;
  Points places_;
  std::vector<Index> first_of_line_;
  std::vector<Real> capacities_, skin_;
  std::vector<char> is_prescribed_;
  std::vector<char> close_;
  std::vector<LedgerLine> lines_;
  std::vector<LineId> ids_;
  std::size_t advective_condition_ = 0;
  int absorbing_order_ = 1;
  bool has_rate_ = false;
  bool prescribes_ = false;
};

/// A closure at one time and about one state. Faces, conditions and lines are those of the closure, which
/// must outlive it.
class EvaluatedBoundaryClosure {
 public:
  explicit EvaluatedBoundaryClosure(const BoundaryClosure& closure) : closure_(&closure) {}

  /// Evaluated for this time and medium, whatever the state; not of boundaries that move.
  bool is_at(const BoundaryMedium& medium, Real time) const {
    return ready_ && !conduction_ && stamp_ == medium.stamp() && closure_->is_linear() && !moves() &&
           (!closure_->depends_on_time() || time == time_);
  }
  /// Evaluates the laws for this time unless they are there already. A nonlinear law is stated about `y`, one
  /// value for each unknown, so that its flow is exact there and `pull` is the derivative. A boundary that
  /// moves stands at `position`, one value for each face.
  void update(const BoundaryMedium& medium, Real time, std::span<const Real> y,
              std::span<const Real> position);

  const BoundaryClosure& closure() const { return *closure_; }
  const BoundarySection& section() const { return closure_->section(); }
  Index faces() const { return closure_->faces(); }
  const BoundaryFace& face(Index f) const { return closure_->face(f); }
  Index unknown(Index f) const { return closure_->unknown(f); }
  Real area(Index f) const { return closure_->area(f); }
  bool prescribes() const { return closure_->prescribes(); }
  bool prescribes(Index f) const { return closure_->prescribes(f); }
  bool moves() const { return closure_->moves(); }
  bool imposes() const { return closure_->imposes(); }
  LineId line(std::size_t condition = 0) const { return closure_->line(condition); }

  /// Nothing flows through.
  bool idle() const { return idle_; }
  /// Flow into the domain through a face, area included: inflow − pull·u. Zero for faces that prescribe.
  Real inflow(Index face) const { return inflow_[face]; }
  Real pull(Index face) const { return pull_[face]; }
  /// Value that a face prescribes.
  Real prescribed_value(Index face) const { return target_[face]; }
  /// Force against the motion of the unknown beside a face, per rate: of laws that contain du/dt, where the
  /// unknown lies on the boundary.
  Real damping(Index face) const { return damping_.empty() ? 0 : damping_[face]; }
  /// Some face resists the motion.
  bool damps() const {
    return std::ranges::any_of(damping_, [](Real d) { return d != 0; });
  }
  /// The unknown on the boundary itself when the unknown next to it is `u`.
  Real boundary_value(Index face, Real u) const;
  /// Where this boundary pulls the unknown to, and how fast what it imposes can change the unknown beside it.
  const DataBounds& data_bounds() const { return data_bounds_; }

  /// Each condition's own part of the flow, in the order of the boundary's conditions.
  std::size_t conditions() const { return condition_flows_.size(); }
  Real flow_of(std::size_t condition, Index face, Real u) const {
    return condition_flows_[condition].inflow[face] - condition_flows_[condition].pull[face] * u;
  }
  /// The sum of all conditions' laws at a time; of boundaries that move also as evaluated.
  LawLine law_at(Real time) const;
  const LawLine& law() const { return law_; }
  const AtBoundary& medium() const { return medium_; }
  /// Puts a face of a boundary that moves where it stands now; all else stays as it was evaluated.
  void stand_at(Index face, Real value);

 private:
  struct ConditionFlow {
    std::vector<Real> inflow, pull;
  };
  void begin();
  void move_to(std::span<const Real> values);
  LawLine state_laws(Real time, std::span<const Real> about, std::vector<LawLine>& laws) const;
  void close(const std::vector<LawLine>& laws, const LawLine& sum);
  void follow_state(Real time, std::span<const Real> y);
  void apply_limit(Real time, const LawLine& sum, std::span<const Real> inside);
  bool find_boundary_values(const LawLine& sum, std::span<const Real> inside);
  void close_about_state(const std::vector<LawLine>& laws, const LawLine& sum, std::span<const Real> inside);
  void sum_up(const LawLine& sum);

  const BoundaryClosure* closure_;
  std::shared_ptr<BoundaryConduction> conduction_;  ///< shared by copies, which one thread evaluates
  AtBoundary medium_;
  std::vector<Real> inflow_, pull_, target_, about_, damping_;
  std::vector<ConditionFlow> condition_flows_;
  LawLine law_{0};  ///< of boundaries that move
  DataBounds data_bounds_;
  bool idle_ = false;
  bool ready_ = false;
  Real time_ = 0, stamp_ = 0;
};

}  // namespace williwaw
