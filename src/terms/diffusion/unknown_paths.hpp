// Paths between neighbours along which the coefficient of diffusion depends on the unknown.
#pragma once

#include <array>

#include "terms/diffusion/path.hpp"
#include "williwaw/boundary/boundary_closure.hpp"
#include "williwaw/problem/problem.hpp"
#include "williwaw/terms/face_mean.hpp"

namespace williwaw {

/// Conductances of all faces across one axis about a state, and their derivatives by the unknowns before and
/// after each face; numbered as `face_number` does.
struct UnknownFaces {
  std::vector<Real>&conductance, &by_low, &by_high;
};

/// The coefficient of one axis with one label for each material, evaluated for lists of unknowns.
class MaterialCoefficient {
 public:
  /// Throws InputError for a mean that cannot be had of this coefficient.
  MaterialCoefficient(const Problem& problem, int direction, Real scale);
  MaterialCoefficient(const MaterialCoefficient&) = delete;
  MaterialCoefficient& operator=(const MaterialCoefficient&) = delete;

  const FaceMeanKind& mean() const { return *mean_; }
  const Function& part(int label) const { return coefficient_.part(label); }
  int labels() const { return labels_; }
  /// Coefficients and derivatives at `places` with label `label` where the unknown is `u`, to be followed by
  /// means between any of them. Throws DataError for values that are below zero or no numbers.
  void evaluate(int label, const Points& places, Real time, std::span<const Real> u, std::span<Real> value,
                std::span<Real> slope);
  /// Null where it cannot be had.
  const UnknownIntegral* integral(int label) const {
    return integrals_.empty() ? nullptr : &integrals_[static_cast<std::size_t>(label)];
  }

 private:
  Function coefficient_;
  Grid grid_;
  int labels_ = 1;
  const FaceMeanKind* mean_ = nullptr;
  Real largest_ = 0;  ///< coefficient that was looked at last
  std::vector<UnknownIntegral> integrals_;
};

/// All paths of a grid along one axis.
class UnknownPaths {
 public:
  UnknownPaths(const Problem& problem, const Outline& outline, int axis,
               std::shared_ptr<MaterialCoefficient> coefficient);

  /// About a block `u` of unknowns, by so many threads.
  void evaluate(Real time, std::span<const Real> u, UnknownFaces faces, int threads);
  const FaceMeanKind& mean() const { return coefficient_->mean(); }
  /// How much the potential of gravity rises from the unknown before face f of a line to the one after it.
  Real rise(Index face_of_line) const { return rise_[static_cast<std::size_t>(face_of_line)]; }

 private:
  // A piece of a path in one material: ∫ ds/area, and where the coefficient at both unknowns stands.
  struct Piece {
    Real weight;
    Index low, high;
    int label;
    bool beside_low;
  };
  // One of the parallel paths through a face.
  struct Path {
    Index face, low, high;
    Real fraction;  ///< of the face, times what is open of it
    Real contact;
    Real rise;
    std::size_t first_piece, end_piece;
  };
  // The unknowns and places at which the coefficient of one material is looked at.
  struct Samples {
    std::vector<Index> unknowns;
    std::vector<Point> places;
    std::vector<Index> number_of;  ///< by unknown, where places do not matter
    Index first = 0;
  };
  // Where along a line of unknowns, and across it, a path goes.
  struct Way {
    const Problem& problem;
    int axis;
    Point across;
    Real area, length;  // of the face, and of the whole axis
  };
  void place_rise(const Problem& problem, int axis);
  void add_path(const Way& way, Path path, const std::vector<HalfPath>& halves, Real face);
  void add_pieces(const Way& way, const HalfPath& half, bool beside_low, int& last_label, Path& path);
  void number_samples();
  void conduct(const Path& path, std::span<const Real> u, std::vector<FaceMean>& means,
               const UnknownFaces& faces) const;
  Index sample(int label, Index unknown, const Point& place);

  std::shared_ptr<MaterialCoefficient> coefficient_;
  std::vector<Samples> samples_;
  std::vector<Piece> pieces_;
  std::vector<Path> paths_;
  std::vector<std::size_t> rows_;  ///< first paths of rows of faces, and the end: rows share no face
  std::vector<Real> rise_;
  std::size_t faces_ = 0;
  std::vector<Real> u_, value_, slope_;
};

/// What conducts between unknowns and the faces of a section, about a state.
class UnknownBoundary final : public BoundaryConduction {
 public:
  using Coefficients = std::array<std::shared_ptr<MaterialCoefficient>, 3>;
  UnknownBoundary(const Grid& grid, const Equation& equation, const Regions& regions,
                  const BoundarySection& section, Coefficients by_axis);
  void evaluate(Real time, std::span<const Real> inside, std::span<const Real> on_boundary,
                AtBoundary& out) override;

 private:
  struct Piece {
    int axis, label;
    Index face;
    Point place;
    Real weight;
  };
  void add_pieces(const Equation& equation, const Regions& regions, Index face);

  const Grid& grid_;
  const BoundarySection& section_;
  Coefficients by_axis_;
  std::vector<Piece> pieces_;
  std::vector<int> labels_;    ///< of the material at each face
  std::vector<Point> places_;  ///< a little inside
  std::vector<Real> rise_, upward_, contact_;
};

}  // namespace williwaw
