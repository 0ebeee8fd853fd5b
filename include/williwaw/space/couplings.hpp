// Couplings: how strongly neighbouring unknowns are joined, and how much each of them stores.
#pragma once

#include <array>

#include "williwaw/grid/region_shares.hpp"
#include "williwaw/space/wall_sections.hpp"

namespace williwaw {

/// Resistance of a unit of area that nothing diffuses through.
inline constexpr Real no_conduction = 1e100;

/// Conductances between neighbours and capacities of control volumes for one problem.
///
/// The conductance between two unknowns is area / ∫ds/k along the line that joins them, so that layers in
/// series are exact wherever their interface lies. Where coefficients do not vary in place, conductances are
/// a product of one number and one line of geometry for each axis, and nothing is stored for each cell.
class Couplings {
 public:
  /// `problem` and `outline` must outlive the couplings.
  Couplings(const Problem& problem, const Outline& outline);

  /// Evaluates what depends on time; true if anything changed since the last call.
  bool update(Real time);
  bool depends_on_time() const { return on_time_; }
  /// True when no coefficient varies in place and nothing is cut out.
  bool separable() const { return separable_; }

  /// Separable only: conductivity along an axis, and the storage of a unit of volume.
  Real conductivity(int axis) const { return conductivity_[axis]; }
  Real storage() const { return storage_; }
  /// Geometry along an axis, per unit of conductivity and volume: 1/(resistance·measure) towards the unknown
  /// before and after, 0 at walls.
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
  /// What is left of control volume n.
  Real volume(Index n) const { return volumes_.empty() ? grid_.volume_of(n) : volumes_[n]; }
  /// The same of all control volumes; empty where nothing is cut out.
  std::span<const Real> volumes() const { return volumes_; }

  /// For the faces of a section: conductivity along the wall's normal and what a unit of volume stores, on
  /// the wall, and the resistance of a unit of area between the unknown and the wall (0 where the unknown
  /// lies on it, below 0 where it lies beyond it).
  struct AtWall {
    std::vector<Real> conductivity, storage, resistance;
  };
  void wall_coefficients(const WallSection& section, AtWall& out) const;
  /// The amount of `density` in every control volume: its mean times the volume.
  void integrate(const Function& density, Real time, std::span<Real> out) const;
  /// Where several regions meet in a control volume and `function` or the storage differs by region: the mean
  /// of `function`, weighted by what each part stores, so that storage times the result is the integral of
  /// both.
  void average_by_region(const Function& function, Real time, std::span<Real> out) const;

 private:
  void place_lines();
  void evaluate_faces(int axis);
  void evaluate_capacities();
  const RegionShares& shares() const;
  Real along(const Point& from, const Point& to, int slot) const;
  bool along_material(const WallFace& face) const;
  Real on_side(const WallFace& face) const;

  Grid grid_;
  Equation equation_;
  const Outline* outline_;
  std::shared_ptr<const Regions> regions_;
  mutable std::unique_ptr<RegionShares> shares_;
  bool separable_ = false;
  bool on_time_ = false;
  bool ready_ = false;
  Real time_ = 0;
  Real storage_ = 1;
  std::array<Real, 3> conductivity_{0, 0, 0};
  std::array<std::vector<Real>, 3> before_, after_, faces_;
  std::array<std::vector<Real>, 3> wall_resistance_low_, wall_resistance_high_;
  std::vector<Real> capacities_, volumes_;
};

/// The mean of `function` over every control volume times its volume: one value for each unknown. Each piece
/// of a control volume is represented by its middle, where regions meet by the middles of their own parts.
void integrate_over_volumes(const Grid& grid, const Function& function, Real time, std::span<Real> out);

}  // namespace williwaw
