// Water in soil, firn and other porous media: how content and conductivity follow the pressure head.
#pragma once

#include <map>

#include "williwaw/problem/equation.hpp"

namespace williwaw {

/// Content and conductivity of one material as functions of the pressure head u; u >= 0: saturated.
struct Soil {
  Function content = 0.0;       ///< volume of water in a unit of volume
  Function conductivity = 1.0;  ///< length per time
};

/// A model of saturation and relative conductivity as case files name it. Numbers are consistently scaled.
struct SoilModel {
  struct Key {
    std::string name;
    int length = 0;                      ///< what it measures: this power of a length
    Real lowest = 0, highest = 0;        ///< both left out of the range
    std::optional<Real> otherwise = {};  ///< value where it is left out
  };
  /// What follows from a head below zero: the effective saturation, from 0 to 1, and the conductivity over
  /// the saturated one, with their derivatives by the head.
  struct State {
    Real saturation, saturation_slope, conductivity, conductivity_slope;
  };
  std::string name;
  std::string title;  ///< with author and year
  std::vector<Key> keys;
  /// The states of a material by the head; `numbers` has a value for each key.
  using ByHead = std::function<State(Real head)>;
  std::function<ByHead(const std::map<std::string, Real>& numbers)> of;
};

/// Every model there is.
const std::vector<SoilModel>& soil_models();
/// Throws InputError for a name that is not there.
const SoilModel& soil_model(const std::string& name);

/// A material: `residual` and `saturated` contents, 0 <= residual < saturated <= 1; conductivity at
/// saturation; what a rise of the head adds to the content where saturated (`specific_storage`, per length).
struct SoilNumbers {
  Real residual = 0, saturated = 0.4, conductivity = 1, specific_storage = 0;
};
/// Throws InputError for numbers that are missing or out of range.
Soil soil(const SoilModel& model, const std::map<std::string, Real>& numbers, const SoilNumbers& common);

/// content(u)_t = ∇·(conductivity(u)(∇u + upward)) + source (Richards, 1931). The unknown is called head.
/// Derived are the content and, with gravity, the total head u + upward·place.
Equation unsaturated(const Soil& soil, std::optional<Point> upward, Function source = 0.0);
/// Those of an equation whose content and gravity are known.
std::vector<DerivedQuantity> derived_of_unsaturated(const Equation& equation);

}  // namespace williwaw
