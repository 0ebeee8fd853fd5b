#include "williwaw/terms/face_mean.hpp"

#include <algorithm>
#include <cmath>

#include "grid/named.hpp"

namespace williwaw {

namespace {

// (1/(b − a))·∫ k du, which is exact for a steady flow along one axis through one material (Kirchhoff, 1894).
FaceMean integral(const FaceSides& s) {
  const Real difference = s.high.u - s.low.u;
  const Real mean = s.integral->mean(s.low.u, s.high.u);
  // Where both are nearly the same, the differences below would be those of round-off.
  if (std::abs(difference) <= 1e-6 * std::max(std::abs(s.low.u), std::abs(s.high.u)))
    return {mean, 0.5 * s.low.slope, 0.5 * s.high.slope};
  return {mean, (mean - s.low.coefficient) / difference, (s.high.coefficient - mean) / difference};
}

// Each half of the path has the coefficient of its own unknown: resistances in series.
FaceMean harmonic(const FaceSides& s) {
  return s.beside_low ? FaceMean{s.low.coefficient, s.low.slope, 0}
                      : FaceMean{s.high.coefficient, 0, s.high.slope};
}

FaceMean arithmetic(const FaceSides& s) {
  return {0.5 * (s.low.coefficient + s.high.coefficient), 0.5 * s.low.slope, 0.5 * s.high.slope};
}

FaceMean upstream(const FaceSides& s) {
  return s.upwards ? FaceMean{s.low.coefficient, s.low.slope, 0}
                   : FaceMean{s.high.coefficient, 0, s.high.slope};
}

}  // namespace

const std::vector<FaceMeanKind>& face_mean_kinds() {
  static const std::vector<FaceMeanKind> kinds{
      {"integral", "integral over u between both unknowns", true, integral},
      {"harmonic", "harmonic: each half with the coefficient of its own unknown", false, harmonic},
      {"arithmetic", "arithmetic", false, arithmetic},
      {"upstream", "upstream: the coefficient of the unknown that the flow comes from", false, upstream},
  };
  return kinds;
}

const FaceMeanKind& face_mean_kind(const std::string& name) {
  return named(face_mean_kinds(), name, Subject::face_mean, "face mean");
}

}  // namespace williwaw
