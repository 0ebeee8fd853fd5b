// Layers along boundaries in which waves die out without being reflected at their beginning.
#pragma once

#include "terms/problem_terms.hpp"

namespace williwaw {

/// The perfectly matched layer of the second-order wave equation (Grote and Sim, 2010):
///
///   u_tt + (Σ ζ)·u_t + (ζxζy + ζyζz + ζzζx)·u + ζxζyζz·ψ = ∇·(c²∇u) + ∇·φ,   ψ_t = u,
///   φx_t = −ζx·φx + c²·(ζy + ζz − ζx)·u_x + c²·ζyζz·ψ_x, and the same for y and z,
///
/// with ζ of each axis rising with the square of the depth in the layers of that axis. All but the first two
/// terms on the left are forces on control volumes, which `forces` tells.
class WaveLayer {
 public:
  /// The layers of the boundaries that have one; `any()` is false where there is none.
  /// `conductances` are those of waves, which no time changes.
  WaveLayer(const ProblemTerms& parts, const Conductances& conductances);

  bool any() const { return !places_.empty(); }
  struct Place {
    Index unknown;
    Real damping;         ///< C·Σ ζ
    std::size_t closure;  ///< whose layer it is
    std::array<Real, 3> zeta;
  };
  /// In increasing order of unknowns; some lie just before a layer.
  const std::vector<Place>& places() const { return places_; }

  void start();
  /// The force on each place, in the same order.
  void forces(const State& u, std::vector<Real>& out) const;
  /// Moves φ and ψ on over a step.
  void go_on(const State& before, const State& after, Real step);

  std::vector<Real> remember() const;
  /// To which unknowns that belongs: those in the layer, and those below its faces.
  std::pair<std::vector<Index>, std::vector<Index>> unknowns() const;
  /// How many numbers that are.
  std::size_t size() const;
  void recall(std::span<const Real> numbers);

 private:
  struct Face {
    Index below, above;
    Real conductance;
    Real own, other, both;  ///< ζ along the axis; of the others the sum less that, and the product
    Real flow = 0;          ///< φ times the area
    std::ptrdiff_t place_below = -1, place_above = -1;
  };
  void find_depths(const ProblemTerms& parts);
  void find_faces(const ProblemTerms& parts, const Conductances& conductances);

  std::array<std::vector<Real>, 3> at_points_, at_bounds_;
  std::array<std::array<std::ptrdiff_t, 2>, 3> owner_{};
  std::vector<Place> places_;
  std::vector<Real> elastic_, triple_, memory_;  ///< of places: C times products of ζ, and ψ
  std::vector<Face> faces_;
};

}  // namespace williwaw
