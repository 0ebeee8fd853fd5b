// Sums and extremes over whole states.
#pragma once

#include <span>

#include "williwaw/domain/layout.hpp"

namespace williwaw {

/// Who adds up and compares over a state of this layout, and by how many threads: by the tree over the
/// segments of each block, so that the result depends on neither. Norms, dots, totals and extremes of states
/// are asked for here, so that boxes of several processes can take the place of this one. The layout must
/// outlive it.
class Reductions {
 public:
  explicit Reductions(const Layout& layout, int threads = 1) : layout_(&layout), threads_(threads) {}

  const Layout& layout() const { return *layout_; }
  int threads() const { return threads_; }

  /// Values of a state, of all ranks.
  Index count() const;
  /// Several ranks have parts of the state.
  bool shared() const;
  /// The largest of what each rank has found.
  Real highest(Real own) const;
  /// What the first rank says.
  Real of_first(Real own) const;
  /// Σ a[n]
  Real sum(std::span<const Real> a) const;
  /// Σ a[n]·b[n]
  Real dot(std::span<const Real> a, std::span<const Real> b) const;
  /// √Σ a[n]²
  Real norm(std::span<const Real> a) const;
  /// Largest |a[n]|
  Real largest(std::span<const Real> a) const;
  /// Largest |a[n] − b[n]|
  Real largest_difference(std::span<const Real> a, std::span<const Real> b) const;

 private:
  const Layout* layout_;
  int threads_;
};

}  // namespace williwaw
