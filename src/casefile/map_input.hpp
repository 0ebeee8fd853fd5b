// Values and masks that come from maps in NetCDF files.
#pragma once

#include "reader.hpp"
#include "williwaw/store/maps.hpp"

namespace williwaw::casefile {

/// A map whose dimensions are the grid's axes and have coordinates; in SI. Nothing where it has no
/// coordinates at all or, unless `strict`, other dimensions. Throws CaseError at `section`'s key "variable".
std::optional<store::Map> read_placed_map(const Context& context, const Section& section, bool strict);

/// { file, variable, unit, outside }. Throws CaseError.
Value value_from_map(const Context& context, const Section& section, const Expected& expected);

/// Maps at several times, linear in between and the first and last one's beyond.
struct MapSeries {
  std::vector<Real> times;
  Function function;
};
/// A variable that has time as its first dimension in the files that `section`'s key "files" matches (a name,
/// or one with * for any characters), taken in the order of their times. Throws CaseError.
MapSeries read_map_series(const Context& context, const Section& section, const std::string& variable,
                          const Expected& expected);

/// Coordinates of a place in the order of a map's dimensions.
std::vector<Real> coordinates_of(const store::Map& map, const Point& place);

}  // namespace williwaw::casefile
