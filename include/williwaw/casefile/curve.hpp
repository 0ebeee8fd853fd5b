// Curves through tabulated points, which formulas call by name.
#pragma once

#include <string>
#include <vector>

#include "williwaw/casefile/dimension.hpp"
#include "williwaw/casefile/expression.hpp"

namespace williwaw::casefile {

/// A curve without new extrema: between points a cubic whose slopes keep to those of the data (Fritsch and
/// Carlson, 1980; Fritsch and Butland, 1984). Before the first and after the last point it keeps their
/// values.
class Curve {
 public:
  /// Both in SI; `places` increase. Throws InputError for fewer than two points, or places that do not
  /// increase.
  Curve(std::string name, std::vector<Real> places, std::vector<Real> values, Measure argument,
        Measure result);

  const std::string& name() const { return name_; }
  const Measure& argument() const { return argument_; }
  const Measure& result() const { return result_; }
  /// The derivative of this order, from 0 (the value) on, exact for the curve.
  Real at(Real place, int order = 0) const;

 private:
  std::string name_;
  std::vector<Real> places_, values_, slopes_;
  Measure argument_, result_;
};

}  // namespace williwaw::casefile
