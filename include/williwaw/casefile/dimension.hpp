// Dimensions of what formulas come out as, checked on their expression trees.
#pragma once

#include <functional>

#include "williwaw/casefile/expression.hpp"
#include "williwaw/casefile/units.hpp"

namespace williwaw::casefile {

/// A product of powers of the base units of SI; exponents may be fractions.
class Dimension {
 public:
  Dimension() = default;  ///< of a pure number
  explicit Dimension(const Unit& unit);

  bool is_pure() const { return exponents_.empty(); }
  bool operator==(const Dimension& other) const;
  Dimension operator*(const Dimension& other) const;
  Dimension operator/(const Dimension& other) const;
  Dimension power(Real exponent) const;
  /// "W/m^2", "m/s^(1/2)" or, for a pure number, "1".
  std::string text() const;

 private:
  void drop_zeros();
  std::map<std::string, Real> exponents_;
};

/// What a name or a formula measures.
struct Measure {
  Dimension dimension;
  enum class Origin {
    none,   ///< a size or a difference: multiples and sums mean something
    scale,  ///< a point on a scale with an origin of its own (degC): only differences of two mean something
    absolute,  ///< a temperature in kelvin that has the meaning of a point
    zero       ///< a literal 0, which has every dimension
  } origin = Origin::none;

  bool fits(const Dimension& wanted) const { return origin == Origin::zero || dimension == wanted; }
};

using MeasureOfName = std::function<Measure(const std::string&)>;

/// What the formula comes out as. Sums and comparisons need equal dimensions, arguments of functions and
/// exponents pure numbers; points on a scale are neither added nor multiplied. `text` is what the expression
/// was read from. Throws InputError that names the part that does not fit and its place.
Measure measure_of(const Expression& expression, const std::string& text, const MeasureOfName& names);

}  // namespace williwaw::casefile
