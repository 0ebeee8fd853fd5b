// The velocity of what advects the unknown, on the faces of control volumes: evaluated, interpolated in time
// and, where asked for, corrected so that as much leaves every control volume as enters it.
#pragma once

#include <array>
#include <memory>

#include "williwaw/boundary/boundary_closure.hpp"
#include "williwaw/domain/domain.hpp"

namespace williwaw {

/// What correcting a velocity changed.
struct VelocityCorrection {
  Real largest = 0;            ///< change of the velocity on any face
  Real fraction = 0;           ///< root of Σ change² over Σ velocity², by area
  Real divergence_before = 0;  ///< largest net outflow over volume, per time
};

/// At one time. A copy shares what no time changes.
class FaceVelocities {
 public:
  /// Boundaries whose conditions let no advection through are closed to it. Everything given must outlive
  /// this and its copies. Of a velocity that is to be divergence-free the first rank has all of the grid; all
  /// ranks make it, and evaluate it, together. Throws InputError for a stream function that is not in a
  /// plane.
  FaceVelocities(const Problem& problem, const Domain& domain, const std::vector<BoundaryClosure>& closures);

  /// Evaluates for this time; true if anything changed since the last call.
  bool update(Real at);
  bool depends_on_time() const { return velocity_.depends_on_time(); }

  /// Mean velocity through the faces of one line along x: for axis 0 the count + 1 faces of line (j, k), for
  /// others those below unknowns (0 .. count − 1, j, k), with j or k up to the size of the axis.
  const Real* row(int axis, Index j, Index k) const;
  /// Open area of the same faces: values times factor. 0 at boundaries.
  struct Areas {
    const Real* values;
    Real factor;
    Real even;  ///< that of all faces but those at the ends of the axis; 0 where they differ
    /// Along x, of the faces one further on.
    Areas after() const { return {values + 1, factor, even}; }
  };
  Areas areas(int axis, Index j, Index k) const;

  /// Volume that comes in through a face of a boundary per time; 0 where the boundary is closed to the flow.
  Real inward(std::size_t closure, Index face) const { return now_.inward[closure][face]; }
  bool open(std::size_t closure) const { return open_[closure]; }
  std::span<const char> open() const { return open_; }
  /// Net volume that leaves control volume n per time.
  std::span<const Real> divergence() const { return measured_.divergence; }

  /// Largest velocity along an axis.
  Real largest(int axis) const { return measured_.largest[axis]; }
  /// Largest Σ over axes of velocity over width (of a control volume), per time, and where.
  Real fastest() const { return measured_.fastest; }
  Index fastest_at() const { return measured_.fastest_at; }
  /// Largest and smallest net outflow over volume, per time.
  Real expanding() const { return measured_.expanding; }
  Real compressing() const { return measured_.compressing; }
  /// Beyond what round-off leaves.
  bool compresses() const;
  /// Largest velocity towards boundaries that are closed to the flow.
  Real against_boundaries() const { return measured_.against_boundaries; }
  const VelocityCorrection& correction() const { return correction_; }
  /// Largest velocities along each axis at one unknown.
  std::array<Real, 3> at(Index n) const;

  /// The mean of what passes both faces of every unknown along an axis; nothing passes closed ones.
  void at_unknowns(int axis, std::span<Real> out) const;

  const Velocity& velocity() const { return velocity_; }

 private:
  struct Sample {
    Real time = 0;
    bool ready = false;
    std::array<std::vector<Real>, 3> faces;
    std::vector<std::vector<Real>> inward;
  };
  Index face_number(int axis, Index i, Index j, Index k) const;
  Index faces(int axis) const;
  std::array<std::vector<Real>, 3> areas_of_faces() const;
  std::pair<Real, Real> beside(int axis, Index n) const;
  Real area_of(int axis, Index i, Index j, Index k) const;
  void evaluate(Real at, Sample& out);
  void evaluate_faces(Real at, int axis, std::vector<Real>& out) const;
  void evaluate_stream_function(Real at, Sample& out) const;
  void join_seams(Sample& sample) const;
  void evaluate_boundaries(Real at, Sample& out);
  std::shared_ptr<const Sample> sample_at(Real at, const std::shared_ptr<const Sample>& known);
  class OfWhole;
  using Sections = std::vector<const BoundarySection*>;
  FaceVelocities(const Problem& problem, const Domain& domain, Sections sections);
  void correct(Sample& sample);
  void measure();
  /// What is largest in one line of unknowns.
  struct OfLine {
    std::array<Real, 3> largest{0, 0, 0};
    Real fastest = 0, expanding = 0, compressing = 0;
    Index fastest_at = 0;
  };
  OfLine measure_line(Index j, Index k);
  void interpolate(Real at);
  Index grid_count() const { return problem_.grid().count() * problem_.grid().dimension(); }

  const Problem& problem_;
  const Outline& outline_;
  std::shared_ptr<const Box> box_;
  int threads_;
  Sections sections_;
  Velocity velocity_;
  std::shared_ptr<OfWhole> of_whole_;  ///< of a part, where that alone does not tell the velocity
  bool even_ = false;                  ///< one number for each axis
  std::vector<char> open_, adjustable_;
  /// What no time changes: areas, one row where nothing is cut, else one value for each face; volumes.
  struct Fixed {
    std::array<std::vector<Real>, 3> areas;
    std::vector<Real> volumes;
  };
  std::shared_ptr<const Fixed> fixed_;
  Sample now_;
  std::vector<std::shared_ptr<const Sample>> samples_;  ///< at the instants
  /// Of the velocities at this time.
  struct Measured {
    std::vector<Real> divergence;
    std::array<Real, 3> largest{0, 0, 0};
    Real fastest = 0, expanding = 0, compressing = 0, against_boundaries = 0;
    Index fastest_at = 0;
  };
  Measured measured_;
  VelocityCorrection correction_;
};

}  // namespace williwaw
