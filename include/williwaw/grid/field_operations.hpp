// Fields as objects: arithmetic, derivatives that know what lies beyond the boundaries, vector fields at
// centres and at faces, slices, other grids, and smooth noise. Code written with them does not change with
// the resolution.
#pragma once

#include <cstdint>
#include <functional>

#include "williwaw/grid/field.hpp"

namespace williwaw {

/// Value by value, beyond the boundaries too. Throw InputError for fields on different grids.
Field operator+(const Field& a, const Field& b);
Field operator-(const Field& a, const Field& b);
Field operator*(const Field& a, const Field& b);
Field operator/(const Field& a, const Field& b);
Field operator+(const Field& a, Real b);
Field operator-(const Field& a, Real b);
Field operator*(const Field& a, Real b);
Field operator/(const Field& a, Real b);
Field operator+(Real a, const Field& b);
Field operator-(Real a, const Field& b);
Field operator*(Real a, const Field& b);
Field operator-(const Field& a);
/// f(value), beyond the boundaries too.
Field applied(const Field& field, const std::function<Real(Real)>& f);
/// f(place) at every unknown, and beyond sides at the places of the halo.
Field sample(const Grid& grid, const std::function<Real(const Point&)>& f);

/// One field for each axis of the grid, all at the unknowns.
struct VectorField {
  std::vector<Field> components;

  explicit VectorField(const Grid& grid)
      : components(static_cast<std::size_t>(grid.dimension()), Field(grid)) {}
  const Grid& grid() const { return components.front().grid(); }
  const Field& operator[](int axis) const { return components[static_cast<std::size_t>(axis)]; }
  Field& operator[](int axis) { return components[static_cast<std::size_t>(axis)]; }
  /// √Σ component².
  Field magnitude() const;
};

/// Of a vector by its components along the axes, whose halos are known: √Σ component², Σ over axes of the
/// derivative of each along its own, and, in a plane, what turns it; between the faces of cells, or between
/// the neighbours of nodes.
Field magnitude_of(std::span<const Field> components);
Field divergence_of(std::span<const Field> components);
Field rotation_of(std::span<const Field> components);

/// One component for each axis, on the faces across it: face i of a line lies below unknown i, the last one
/// above the last unknown.
class FaceField {
 public:
  explicit FaceField(Grid grid);
  const Grid& grid() const { return grid_; }
  /// On the face below unknown (i, j, k) along an axis; the index along that axis goes up to its size.
  Real at(int axis, Index i, Index j = 0, Index k = 0) const { return values_[axis][number(axis, i, j, k)]; }
  Real& at(int axis, Index i, Index j = 0, Index k = 0) { return values_[axis][number(axis, i, j, k)]; }

 private:
  std::size_t number(int axis, Index i, Index j, Index k) const {
    return static_cast<std::size_t>(i +
                                    (grid_.size(0) + (axis == 0)) * (j + (grid_.size(1) + (axis == 1)) * k));
  }
  Grid grid_;
  std::array<std::vector<Real>, 3> values_;
};

/// Differences of neighbours over their distance, second-order in the middle of each face; on sides by the
/// halo where it is known, else one-sided from the three unknowns next to it, second-order too.
FaceField face_gradient(const Field& field);
/// The same at the unknowns, from both sides: exact for parabolas on uneven axes inside the domain.
VectorField gradient(const Field& field);
/// What leaves each control volume through its faces, over its volume.
Field divergence(const FaceField& flow);
/// The same of a vector field, by the means on faces.
Field divergence(const VectorField& field);
/// The divergence of the gradient on faces.
Field laplacian(const Field& field);
/// Means of neighbours on faces (on sides by the halo, or going on linearly), and of faces at unknowns.
FaceField interpolate_to_faces(const VectorField& field);
VectorField at_unknowns(const FaceField& field);

enum class Resampling {
  interpolate,  ///< linear between unknowns: for values
  conserve      ///< fractions of overlapping control volumes: for amounts, so that the integral stays
};
/// The field on another grid over the same domain. Throws InputError for grids of other axes, or places
/// outside.
Field resample(const Field& field, const Grid& grid, Resampling how = Resampling::interpolate);

/// The field at a place by a cubic along each axis through the four unknowns nearest to it (fewer on shorter
/// axes), from inside beside boundaries: fourth-order where the field is smooth. Where one of the unknowns is
/// cut out, linear as Field::sample. Throws InputError for a place outside.
Real sample_cubic(const Field& field, const Point& place);

/// The field at a position along an axis, as a field of one dimension less (linear between unknowns). Throws
/// InputError for a 1-D field, or a position outside.
Field slice(const Field& field, int axis, Real position);

/// Smooth random noise around 0: a function of place alone, so that it is the same on every grid over the
/// domain, and periodic along periodic axes. `amplitude` is the root of its mean square, `length` the
/// distance over which it is alike (its correlation falls as exp(−(distance/length)²/2)); a sum of 256 waves.
std::function<Real(const Point&)> smooth_noise(const Grid& domain, Real amplitude, Real length,
                                               std::uint64_t seed);
/// The same for many places at once, to rounding; many times faster where they lie along x.
std::function<void(const Points&, std::span<Real>)> smooth_noise_by_line(const Grid& domain, Real amplitude,
                                                                         Real length, std::uint64_t seed);

}  // namespace williwaw
