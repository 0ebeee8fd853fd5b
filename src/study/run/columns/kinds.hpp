// Columns of series.csv that measure an unknown. What a file of one defines: columns::NAME(), and a line
// KIND(NAME) in list.inc.
#pragma once

#include "williwaw/study/series_columns.hpp"

namespace williwaw::study {

/// Throws CaseError where a probe is called like a column.
void check_probes(const Case& given);

/// Units and rules that several columns share.
inline std::string unit_of_values(const Case& given, std::size_t unknown) {
  return scale_of(given, unknown).unit;
}
inline std::string unit_of_amounts(const Case& given, std::size_t unknown) {
  return given.unknown(unknown).amount_unit;
}
inline std::string no_unit(const Case&, std::size_t) {
  return "";
}
inline bool of_waves(const Discretization& balance) {
  return balance.capabilities().second_order;
}
inline bool of_advection(const Discretization& balance) {
  return balance.advects();
}

namespace columns {
#define KIND(name) SeriesColumn name();
#include "list.inc"
#undef KIND
}  // namespace columns

}  // namespace williwaw::study
