// A velocity that every place of the grid has a say in, where several ranks share the grid.
#pragma once

#include "williwaw/boundary/boundary_sections.hpp"
#include "williwaw/terms/face_velocities.hpp"

namespace williwaw {

/// The velocity on the faces of the whole grid, which the first rank evaluates and of which it tells each
/// rank what that one has: the same numbers as on one rank.
class FaceVelocities::OfWhole {
 public:
  /// All ranks make it together.
  OfWhole(const FaceVelocities& part, const Domain& domain);

  /// Replaces the velocities of a part by those of the whole grid, and notes what the correction changed. All
  /// ranks call it together.
  void take(FaceVelocities& part, Real at, Sample& out);

 private:
  // Of the first rank.
  struct Everything {
    Everything(const Problem& part, int threads);
    Problem problem;
    std::vector<BoundarySection> sections;
    std::unique_ptr<Domain> domain;
    std::unique_ptr<FaceVelocities> velocities;
    std::vector<std::vector<Index>> wanted;  ///< by rank: numbers of what is told
  };
  std::vector<Index> wanted_by(const FaceVelocities& part,
                               const std::vector<std::vector<Real>>& unknowns) const;

  std::unique_ptr<Everything> everything_;
  std::size_t count_ = 0;  ///< of what this rank is told
};

}  // namespace williwaw
