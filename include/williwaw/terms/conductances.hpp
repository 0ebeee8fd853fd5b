// Conductances: how strongly neighbouring unknowns are joined.
#pragma once

#include <array>

#include "williwaw/balance/storage.hpp"
#include "williwaw/boundary/boundary_closure.hpp"
#include "williwaw/terms/control_volumes.hpp"

namespace williwaw {

/// What a problem's control volumes store of a unit of the unknown, where that does not depend on it. Throws
/// InputError for storages that are not above zero.
std::shared_ptr<const LinearStorage> linear_storage(const Problem& problem, const ControlVolumes& volumes,
                                                    std::shared_ptr<const Domain> domain);

class MaterialCoefficient;
class UnknownPaths;

/// Conductances between neighbours for one problem at one time.
///
/// The conductance between two unknowns is area / ∫ds/k along the line that joins them, so that layers in
/// series are exact wherever their interface lies. Where coefficients do not vary in place, conductances are
/// a product of one number and one line of geometry for each axis, and nothing is stored for each cell.
///
/// Where coefficients depend on the unknown they are those about a state: of a path between two unknowns by a
/// mean (`Problem::face_mean`), and gravity adds to the differences of the unknowns.
///
/// A value: a copy shares what no time changes.
class Conductances final : public BoundaryMedium {
 public:
  /// `storage` as `linear_storage` made it of the same problem. Throws InputError for conductivities that are
  /// not above zero.
  Conductances(const Problem& problem, std::shared_ptr<const LinearStorage> storage);

  /// Evaluates what depends on time and on the state of the unknown, unless it is there already.
  void update(Real time, std::span<const Real> u);
  /// Some coefficient depends on the unknown, or gravity acts.
  bool depends_on_state() const override { return fixed_->on_state; }
  bool depends_on_unknown() const { return fixed_->on_unknown; }
  /// Not separable only: the derivatives of `faces` by the unknowns before and after each face; empty where
  /// they do not depend on the unknown.
  std::span<const Real> by_low(int axis) const { return by_low_[axis]; }
  std::span<const Real> by_high(int axis) const { return by_high_[axis]; }
  /// How much the potential of gravity rises through face i of a line along an axis.
  Real rise(int axis, Index i) const { return fixed_->rise[axis].empty() ? 0 : fixed_->rise[axis][i]; }
  /// How the coefficient is taken between two unknowns; of those that depend on the unknown.
  const std::string& face_mean() const { return fixed_->face_mean; }
  bool depends_on_time() const { return fixed_->on_time; }
  /// True when no coefficient varies in place and nothing is cut out.
  bool separable() const { return fixed_->separable; }

  /// Separable only: conductivity along an axis.
  Real conductivity(int axis) const { return conductivity_[axis]; }
  /// Geometry along an axis, per unit of conductivity and volume: 1/(resistance·measure) towards the unknown
  /// before and after, 0 at boundaries.
  std::span<const Real> before(int axis) const { return fixed_->before[axis]; }
  std::span<const Real> after(int axis) const { return fixed_->after[axis]; }

  /// Not separable only: conductance of every face across an axis, (size + 1) faces along that axis, x
  /// fastest. Face i lies between unknowns i-1 and i; 0 at boundaries.
  std::span<const Real> faces(int axis) const { return faces_[axis]; }
  Index face(int axis, Index i, Index j, Index k) const;

  const LinearStorage& storage() const { return *fixed_->storage; }
  /// Amount stored by a unit of the unknown in control volume n.
  Real capacity(Index n) const { return fixed_->storage->capacity(n); }
  /// What is left of control volume n.
  Real volume(Index n) const { return fixed_->storage->volume(n); }

  Real conductance(Index n, int axis, bool upwards) const override;
  void at_boundary(const BoundarySection& section, AtBoundary& out) const override;
  std::unique_ptr<BoundaryConduction> about_state(const BoundarySection& section) const override;
  Real stamp() const override { return fixed_->on_time ? time_ : 0; }

 private:
  struct Fixed {
    Grid grid;
    Equation equation;
    std::shared_ptr<const Regions> regions;
    std::shared_ptr<const LinearStorage> storage;
    bool separable = false, on_time = false, on_state = false, on_unknown = false;
    std::array<std::vector<Real>, 3> before = {}, after = {}, rise = {};
    std::array<std::shared_ptr<MaterialCoefficient>, 3> materials = {};
    std::array<std::shared_ptr<UnknownPaths>, 3> paths = {};
    std::string face_mean = {};
    void place_lines();
    void place_paths(const Problem& problem);
  };
  const Grid& grid() const { return fixed_->grid; }
  const Equation& equation() const { return fixed_->equation; }
  const Regions& regions() const { return *fixed_->regions; }
  void evaluate_faces(int axis);
  void settle_boundaries(int axis, std::span<const Real> areas);
  void close_faces(int axis);
  Real along(const Point& from, const Point& to, int direction) const;
  bool along_material(const BoundaryFace& face) const;
  Real on_side(const BoundaryFace& face) const;

  std::shared_ptr<const Fixed> fixed_;
  bool ready_ = false;
  Real time_ = 0;
  std::array<Real, 3> conductivity_{0, 0, 0};
  std::array<std::vector<Real>, 3> by_low_, by_high_;
  std::array<std::vector<Real>, 3> faces_, boundary_resistance_low_, boundary_resistance_high_;
};

}  // namespace williwaw
