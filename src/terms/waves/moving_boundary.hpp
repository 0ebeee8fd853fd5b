// Boundaries whose values follow from the motion beside them.
#pragma once

#include <optional>

#include "williwaw/boundary/absorbing_boundary.hpp"
#include "williwaw/boundary/boundary_closure.hpp"

namespace williwaw {

/// Where one stands, face by face, and what it remembers for its next step.
class MovingBoundary {
 public:
  MovingBoundary(const Grid& grid, const BoundaryClosure& closure);

  std::span<const Real> values() const { return values_; }
  /// Where it stands before it is followed.
  void stand_at(std::span<const Real> values) { values_.assign(values.begin(), values.end()); }
  /// Values on it and their rates, with the motion beside it.
  void place(std::span<const Real> values, std::span<const Real> rates, Real step,
             const AbsorbingBoundary::Derivatives& dynamics, const AtBoundary& medium);
  /// Moves the values on from time `at` to at + step, while the unknowns went from `before` to `after`; of
  /// faces that lie on so many other boundaries besides, from 0 upwards. `law` is evaluated at any time.
  void follow(const EvaluatedBoundaryClosure& law, Real at, Real step, const State& before,
              const State& after, int corners);
  /// What it remembers, to be written down, and taken up again.
  std::vector<Real> remember() const;
  void recall(std::span<const Real> numbers);

 private:
  const BoundaryClosure& closure_;
  std::vector<Real> values_;
  std::optional<AbsorbingBoundary> outflow_;
};

}  // namespace williwaw
