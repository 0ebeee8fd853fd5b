// Smooth random fields, the same function of place on every grid.
#include <cmath>
#include <numbers>
#include <random>

#include "williwaw/grid/field_operations.hpp"

namespace williwaw {

std::function<Real(const Point&)> smooth_noise(const Grid& domain, Real amplitude, Real length,
                                               std::uint64_t seed) {
  if (!(length > 0)) throw InputError("the length over which noise is alike must be above zero");
  constexpr int waves = 256;
  struct Wave {
    std::array<Real, 3> number{0, 0, 0};
    Real phase = 0;
  };
  // The engine's numbers are the same everywhere; the library's distributions are not.
  std::mt19937_64 engine(seed);
  const auto uniform = [&engine] { return (static_cast<Real>(engine() >> 11) + 0.5) / 9007199254740992.0; };
  std::vector<Wave> all(waves);
  for (Wave& w : all) {
    for (int a = 0; a < domain.dimension(); ++a) {
      // Wave numbers of a Gaussian spectrum (Box and Muller, 1958), those that close on periodic axes.
      const Real normal = std::sqrt(-2 * std::log(uniform())) * std::cos(2 * std::numbers::pi * uniform());
      Real number = normal / length;
      const Axis& axis = domain.axis(a);
      if (axis.periodic())
        number = 2 * std::numbers::pi / axis.length() *
                 std::round(number * axis.length() / (2 * std::numbers::pi));
      w.number[static_cast<std::size_t>(domain.direction(a))] = number;
    }
    w.phase = 2 * std::numbers::pi * uniform();
  }
  const Real size = amplitude * std::sqrt(2.0 / waves);
  return [all, size](const Point& p) {
    Real sum = 0;
    for (const Wave& w : all)
      sum += std::cos(w.number[0] * p.x + w.number[1] * p.y + w.number[2] * p.z + w.phase);
    return size * sum;
  };
}

}  // namespace williwaw
