// Units, through UDUNITS-2. They exist at the edges only: in case files, in results and on labels.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

/// A unit of measurement such as "mm/day" or "degC".
class Unit {
 public:
  /// The unit 1.
  Unit();
  /// Nothing if the text is not a unit.
  static std::optional<Unit> parse(const std::string& text);
  /// Throws InputError if the text is not a unit.
  static Unit of(const std::string& text);

  const std::string& text() const { return text_; }
  bool is_dimensionless() const;
  bool same_dimension(const Unit& other) const;
  /// A number in this unit as SI. A difference leaves the zero point out (degC: 5 is 5 K, not 278.15 K).
  Real to_si(Real value, bool difference = false) const;
  Real from_si(Real value, bool difference = false) const;
  /// The same in SI, in the words that it is written in: "kg/m^3" for g/cm^3, "J/kg/K" for kJ/kg/K; base
  /// units, as "kg/s^3/K", of what is a product of others.
  std::string si_text() const;

  /// Exponents of the base units by their symbols; radians and the like left out.
  std::map<std::string, Real> exponents() const;
  /// True for SI itself: no factor and no zero point of its own.
  bool is_coherent() const { return to_si(0) == 0 && to_si(1) == 1; }
  /// True for a scale with a zero point of its own, such as degC.
  bool has_origin() const { return to_si(0) != 0; }

  Unit operator*(const Unit& other) const;
  Unit operator/(const Unit& other) const;
  Unit power(int exponent) const;

 private:
  struct Handle;
  explicit Unit(std::shared_ptr<const Handle> handle, std::string text);
  std::shared_ptr<const Handle> handle_;
  std::string text_;
};

/// Values of one unit in another of the same dimension; as they are where either is empty or both are the
/// same.
std::vector<Real> converted(std::vector<Real> values, const std::string& from, const std::string& to);

/// "0.4 m" or "-22 degC": a number followed by a unit.
struct Measured {
  Real number;
  std::string unit;
};
/// Nothing if the text is not a number followed by letters; whether those are a unit is another matter.
std::optional<Measured> split_measured(const std::string& text);

}  // namespace williwaw::casefile
