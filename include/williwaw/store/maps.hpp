// Maps: values over places, read from NetCDF files.
#pragma once

#include "williwaw/store/fields.hpp"

namespace williwaw::store {

/// A variable with the coordinates of its dimensions.
struct Map {
  struct Along {
    std::string name;          ///< of the dimension
    std::vector<Real> points;  ///< in increasing order; empty where the file has no coordinate variable
    std::string unit;
  };
  std::vector<Along> axes;  ///< the last one fastest
  std::vector<Real> values;
  std::string unit;

  /// Linear between points; places up to half a spacing beyond the ends take the end's value, others too
  /// where `nearest` says so. Missing values count for nothing. `place` has one coordinate for each axis.
  /// Throws StoreError for a place outside, or where all values around it are missing.
  Real at(std::span<const Real> place, bool nearest) const;
  /// The value at the point nearest to a place.
  Real nearest_to(std::span<const Real> place) const;
};

/// Throws StoreError for a file or variable that cannot be read, or coordinates that do not increase.
Map read_map(const std::filesystem::path& file, const std::string& variable);

}  // namespace williwaw::store
