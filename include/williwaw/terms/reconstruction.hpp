// Reconstruction: the values on both sides of faces from the means (or points) around them, line by line.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "williwaw/grid/axis.hpp"

namespace williwaw {

/// Six neighbours of each face of a line: rows[2][i] lies before face i and rows[3][i] after it.
using Rows = std::array<const Real*, 6>;

/// How far apart the unknowns rows[1] to rows[4] lie and how far the face is from rows[2] and rows[3], for
/// axes that are not uniform. Entries belong to faces; `step` 0 means one number for all of them.
struct FaceSpacing {
  std::array<const Real*, 3> gaps{};    ///< rows[1]-[2], [2]-[3], [3]-[4]
  std::array<const Real*, 2> halves{};  ///< from rows[2] and rows[3] to the face
  Index step = 1;
};

/// By face of an axis, for FaceSpacing: three gaps, then two halves. Beyond boundaries values are mirrored,
/// and so are distances.
std::array<std::vector<Real>, 5> distances_of_faces(const Axis& axis);

/// Difference across a cell from the differences to its neighbours before and after; 0 where they differ in
/// sign.
using Slope = Real (*)(Real before, Real after);

/// A reconstruction as case files name it.
struct ReconstructionKind {
  std::string name;
  /// Order on smooth data, away from extrema where it is limited.
  int order = 1;
  /// Neighbours that it looks at on each side of a face.
  int reach = 1;
  /// Slopes are limited: monotone with forward Euler up to this Courant number.
  bool limited = false;
  Real courant = 1;
  /// On uniform spacing: left[i] and right[i] are the values on both sides of face i.
  void (*uniform)(const Rows& rows, Index count, Real* left, Real* right);
  /// The slope that it takes; null where it takes more than three values.
  Slope slope = nullptr;
  /// The symbol of the left value for a wave with this angle between neighbours, unlimited: what e^{iθn} at
  /// n = 0 makes of the value at 1/2, as real and imaginary part.
  std::array<Real, 2> (*symbol)(Real angle) = nullptr;
  /// Of kinds that take slopes, on uniform spacing: the values at both ends of cells, from their neighbours.
  /// One slope serves both faces of a cell.
  void (*ends)(const Real* before, const Real* here, const Real* after, Index count, Real* low,
               Real* high) = nullptr;
};

/// first-order (Godunov, 1959), minmod, superbee (Roe, 1986), van-leer (1974), monotonized-central (van Leer,
/// 1977), third-order (van Leer, 1985), weno5 (Jiang and Shu, 1996).
const std::vector<ReconstructionKind>& reconstruction_kinds();
/// Throws InputError for a name that is not there.
const ReconstructionKind& reconstruction_kind(const std::string& name);

/// A limiter: a reconstruction that takes a slope, as forms of waves use it.
struct LimiterKind {
  std::string name;
  Slope slope;
};
/// Every reconstruction with a slope.
const std::vector<LimiterKind>& limiter_kinds();
/// Throws InputError for a name that is not there.
const LimiterKind& limiter_kind(const std::string& name);

/// Of kinds that take slopes, on any spacing: no value lies beyond its neighbours.
void reconstruct_uneven(const ReconstructionKind& kind, const Rows& rows, const FaceSpacing& spacing,
                        Index count, Real* left, Real* right);
/// The same by `distances` of faces from number `first` on, of so many faces along the axis itself or all
/// beside each other across it; on uniform spacing where there are none.
void reconstruct_line(const ReconstructionKind& kind, const Rows& rows,
                      const std::array<std::vector<Real>, 5>& distances, Index first, bool along, Index count,
                      Real* left, Real* right);

}  // namespace williwaw
