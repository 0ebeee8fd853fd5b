// Ends of order two and three that let waves out: (d/dt + speed·d/dn)^order u = 0 on the boundary.
#pragma once

#include <array>

#include "williwaw/boundary/boundary_sections.hpp"
#include "williwaw/domain/layout.hpp"

namespace williwaw {

/// Follows the condition by the box scheme, which averages over two places and two times and so is centred on
/// both (Higdon, 1986): (I + a·S − a·Z − S·Z)^order u = 0, with S one place inwards, Z one step back and
/// a = (1 − C)/(1 + C) for the Courant number C on the boundary.
///
/// Unknowns on the boundary are followed themselves; beside it a place as far outside as the first unknown
/// lies inside is, and the boundary's value is the mean of both.
class AbsorbingBoundary {
 public:
  /// Throws InputError for boundaries of cut-outs, and where fewer unknowns than `order` + 1 lie inwards.
  AbsorbingBoundary(const Grid& grid, const BoundarySection& section, int order);

  /// How the unknowns change, by all that their neighbours do to them.
  struct Derivatives {
    const State &y, &rate, &acceleration, &jerk;  ///< and its first three derivatives in time
  };
  /// `speed` on each face; `value` and `rate` are those on the boundary. What was before is taken from these:
  /// ends of order three let what grows with the square of the time pass, an error of the start among it.
  void start(std::span<const Real> speed, Real step, const Derivatives& now, std::span<const Real> value,
             std::span<const Real> rate);
  /// After a step that led to `y`: the values on the boundary, of faces that lie on `corners` other
  /// boundaries besides. Those of fewer must be in `y` already.
  void go_on(const State& y, int corners, std::span<Real> value);

  std::vector<Real> remember() const;
  void recall(std::span<const Real> numbers);

 private:
  static constexpr int most = 3;
  using Weights = std::array<std::array<Real, most + 1>, most + 1>;  // [place][step back]

  void weigh();
  Real& past(std::size_t face, int back, int place);
  Real inside(const State& y, std::size_t face, int place) const;

  int order_;
  bool beside_;
  struct Face {
    Index unknown, inwards;
    Real spacing;
    int corners;
  };
  std::vector<Face> faces_;
  std::vector<Real> courant_;
  std::vector<Weights> weights_;
  std::vector<Real> past_;
};

}  // namespace williwaw
