// What a wave as a first-order system runs through: storage, damping and conductivity of every cell, and
// which faces close it.
#pragma once

#include <array>
#include <cmath>

#include "terms/problem_terms.hpp"
#include "williwaw/terms/wave_flux.hpp"

namespace williwaw {

class WaveMedium {
 public:
  /// Throws InputError for unknowns at nodes, axes that are not uniform, outlines that are no grid faces,
  /// absorbing boundaries of a higher order or with layers, parts of sides, and numerical fluxes that are not
  /// there.
  explicit WaveMedium(const ProblemTerms& parts);

  /// A face of the boundary: the closure and which of its faces.
  struct FaceOfClosure {
    std::ptrdiff_t closure = -1;
    Index face = 0;
  };

  const ProblemTerms& parts() const { return parts_; }
  const Domain& domain() const { return *parts_.of.domain; }
  const Grid& grid() const { return parts_.grid(); }
  const std::vector<BoundaryClosure>& closures() const { return parts_.boundary->all(); }
  int axes() const { return grid().dimension(); }
  Real spacing(int axis) const { return grid().axis(axis).widths()[0]; }

  Real storage(Index cell) const { return storage_[static_cast<std::size_t>(cell)]; }
  Real damping(Index cell) const { return damping_[static_cast<std::size_t>(cell)]; }
  Real conductivity(int axis, Index cell) const {
    return conductivity_[axis][static_cast<std::size_t>(cell)];
  }
  Real impedance(int axis, Index cell) const { return impedance_[axis][static_cast<std::size_t>(cell)]; }
  Real speed(int axis, Index cell) const { return std::sqrt(conductivity(axis, cell) / storage(cell)); }
  /// The face of the boundary that closes a cell along an axis; null where a neighbour follows.
  const FaceOfClosure* boundary(Index cell, int axis, bool upper) const {
    const Index place = place_of_[static_cast<std::size_t>(cell)];
    if (place < 0) return nullptr;
    const FaceOfClosure& found =
        faces_[static_cast<std::size_t>(place)][2 * static_cast<std::size_t>(axis) + (upper ? 1 : 0)];
    return found.closure < 0 ? nullptr : &found;
  }

  const WaveFlux& flux() const { return flux_; }
  Slope slope() const { return slope_; }

 private:
  void find_boundary();
  bool neighbour(Index cell, int axis, bool upper) const;

  const ProblemTerms& parts_;
  const WaveFlux& flux_;
  Slope slope_;
  std::vector<Real> storage_, damping_;
  std::array<std::vector<Real>, 3> conductivity_, impedance_;
  std::vector<std::array<FaceOfClosure, 6>> faces_;  ///< of cells beside boundaries
  std::vector<Index> place_of_;                      ///< in faces_, -1 inside
};

}  // namespace williwaw
