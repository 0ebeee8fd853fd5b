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
  /// Each face follows the unknown beside it, and nothing else.
  bool by_face() const { return !outflow_; }
  /// The law of the middle of a step, where it is not the one that is evaluated.
  std::optional<LawLine> half_way(const EvaluatedBoundaryClosure& evaluated, Real at, Real step) const;
  /// Where a face comes from `value` while the unknown beside it goes from `before` to `after`; of boundaries
  /// that go by face.
  Real followed(const EvaluatedBoundaryClosure& evaluated, const LawLine& law, Index face, Real value,
                Real step, Real before, Real after) const;
  /// What it remembers, to be written down, and taken up again.
  std::vector<Real> remember() const;
  void recall(std::span<const Real> numbers);

 private:
  const BoundaryClosure& closure_;
  std::vector<Real> values_;
  std::optional<AbsorbingBoundary> outflow_;
};

}  // namespace williwaw
