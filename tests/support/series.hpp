// What a run's series.csv says.
#pragma once

#include <doctest/doctest.h>

#include <filesystem>

#include "williwaw/store/run_series.hpp"

namespace williwaw::test {

/// The last number of a column.
inline Real last_of(const std::filesystem::path& folder, const std::string& name) {
  const store::RunSeries series(folder / "series.csv");
  for (std::size_t c = 0; c < series.table().columns.size(); ++c)
    if (series.column(c).name == name) return series.values(c).back();
  FAIL("no column " << name);
  return 0;
}

}  // namespace williwaw::test
