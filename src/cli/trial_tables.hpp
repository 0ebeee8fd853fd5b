// What came of several runs of a case, as tables.
#pragma once

#include "trials.hpp"
#include "williwaw/study/report.hpp"

namespace williwaw::cli {

/// A row for each of them under `head`: how it went and what the unknowns are like at the end; below, in as
/// many tables as it takes, what else the case watches. Flows that are 0 in all of them are left out.
std::string table_of(const std::vector<Trial>& trials, const std::string& head, bool steady);
/// The same numbers as a table of CSV.
std::string csv_of(const std::vector<Trial>& trials, const std::string& head, bool steady);
study::Report report_of(const std::vector<Trial>& trials, bool steady);

}  // namespace williwaw::cli
