// Values of a run at places of one's own, after it.
#pragma once

#include "williwaw/store/series.hpp"

namespace williwaw::store {

/// A row for each record and place: its time, the distance from the first place where `along` is set, its
/// coordinates, and a column for each quantity, all in the units shown. Between unknowns values are linear;
/// not a number where the domain is cut out. `quantities` by name, all of the file where it is empty;
/// `places` in the units shown. Throws StoreError for a file that cannot be read, UnknownName for a quantity
/// that it has not, InputError for a place outside of the grid.
Series sample_table(const std::filesystem::path& file, std::vector<std::string> quantities,
                    const std::vector<Point>& places, const std::vector<Index>& records, bool along = false);

}  // namespace williwaw::store
