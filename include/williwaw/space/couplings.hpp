// Couplings: how strongly neighbouring unknowns are joined, and how much each of them stores.
#pragma once

#include <array>

#include "williwaw/problem/problem.hpp"

namespace williwaw {

/// Conductances between neighbours and capacities of control volumes for one problem.
///
/// The conductance between two unknowns is area / ∫ds/k along the line that joins them, so that layers in
/// series are exact wherever their interface lies. Where coefficients do not vary in place, conductances are
/// a product of one number and one line of geometry for each axis, and nothing is stored for each cell.
class Couplings {
 public:
  Couplings(const Grid& grid, const Equation& equation);

  /// Evaluates what depends on time; true if anything changed since the last call.
  bool update(Real time);
  bool depends_on_time() const { return on_time_; }
  /// True when no coefficient varies in place.
  bool separable() const { return separable_; }

  /// Separable only: conductivity along an axis, and the storage of a unit of volume.
  Real conductivity(int axis) const { return conductivity_[axis]; }
  Real storage() const { return storage_; }
  /// Geometry along an axis, per unit of conductivity and volume: 1/(gap·width) towards the unknown before
  /// and after, 0 at walls.
  std::span<const Real> before(int axis) const { return before_[axis]; }
  std::span<const Real> after(int axis) const { return after_[axis]; }

  /// Not separable only: conductance of every face across an axis, (size + 1) faces along that axis, x
  /// fastest. Face i lies between unknowns i-1 and i; 0 at walls.
  std::span<const Real> faces(int axis) const { return faces_[axis]; }
  Index face(int axis, Index i, Index j, Index k) const;
  /// Not separable only: capacity of every control volume.
  std::span<const Real> capacities() const { return capacities_; }

  /// Amount stored by a unit of the unknown in control volume n.
  Real capacity(Index n) const;
  /// Conductance between unknown n and the one before or after it along an axis; 0 beyond a wall.
  Real conductance(Index n, int axis, bool upwards) const;
  /// For the faces of a side: conductivity on the wall, and conductance of a unit of area between the wall
  /// and the first unknown (infinite at nodes, which lie on the wall).
  std::vector<Real> wall_conductivity(Side side) const;
  std::vector<Real> wall_conductance(Side side) const;

 private:
  void place_lines();
  void evaluate_faces(int axis);
  void evaluate_capacities();

  Grid grid_;
  Equation equation_;
  bool separable_ = false;
  bool on_time_ = false;
  bool ready_ = false;
  Real time_ = 0;
  Real storage_ = 1;
  std::array<Real, 3> conductivity_{0, 0, 0};
  std::array<std::vector<Real>, 3> before_, after_, faces_;
  std::array<std::vector<Real>, 3> wall_resistance_low_, wall_resistance_high_;
  std::vector<Real> capacities_;
};

/// The mean of `function` over every control volume times its volume: one value for each unknown. Each piece
/// of a control volume is represented by its middle.
void integrate_over_volumes(const Grid& grid, const Function& function, Real time, std::span<Real> out);

}  // namespace williwaw
