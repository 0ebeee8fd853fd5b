#include <fmt/format.h>

#include <algorithm>

#include "study/run/columns/kinds.hpp"
#include "study/wording.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::study {

store::Scale Measured::scale() const {
  return scale_of(given, unknown);
}

const verify::Shape& Measured::shape() const {
  if (!shape_so_far) shape_so_far = verify::shape_of(balance, state);
  return *shape_so_far;
}

store::Scale scale_of(const Case& given, std::size_t unknown) {
  return given.unknown(unknown).value;
}

std::string label_of(const Case& given, std::size_t unknown, const std::string& label) {
  return given.count() == 1
             ? label
             : store::name_of_unknown(given.unknown(unknown).problem.equation().unknown, label);
}

const std::vector<SeriesColumn>& series_columns() {
  static const std::vector<SeriesColumn> all{
#define KIND(name) columns::name(),
#include "study/run/columns/list.inc"
#undef KIND
  };
  return all;
}

void check_probes(const Case& given) {
  for (const auto& probe : given.probes) {
    const std::string own = store::without_unknown(probe.name);
    if (store::reserved_in_series(probe.name) ||
        std::ranges::find(series_columns(), own, &SeriesColumn::name) != series_columns().end())
      throw CaseError(probe.place, "probe.name",
                      "the series has a column '" + probe.name + "' of its own; choose another name");
  }
}

}  // namespace williwaw::study
