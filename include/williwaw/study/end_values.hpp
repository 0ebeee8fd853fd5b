// What a run ended with, as a list of numbers with names: for tables of several runs.
#pragma once

#include "williwaw/study/run.hpp"

namespace williwaw::study {

struct EndValue {
  std::string name;
  Real value = 0;
  std::string unit;
  bool flow = false;  ///< through a boundary, from a source or a point
};

/// Of a run that was just written into `folder`, in shown units, in this order: extremes and mean of each
/// unknown, its errors where an exact solution is known, height and width of a pulse that was moved, probes,
/// other measures, contents, flows. Throws StoreError where series.csv cannot be read.
std::vector<EndValue> values_at_end(const Case& given, const Prepared& prepared, const RunResult& result,
                                    const std::filesystem::path& folder);

/// Probes of a run whose series.csv is written, as a section of the closing words; none without probes.
void probe_values_section(const std::filesystem::path& folder, Report& report);

}  // namespace williwaw::study
