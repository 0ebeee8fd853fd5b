// What probes of a wave saw: when it arrived, and which frequencies they hold.
#pragma once

#include "williwaw/study/run.hpp"
#include "williwaw/verify/record_spectrum.hpp"

namespace williwaw::study {

/// Rows of peaks.csv and of the closing words.
struct ProbePeak {
  std::string probe;
  verify::Peak peak;
  std::optional<Real> mode;  ///< frequency of the nearest mode, where modes are known
};

/// Reads series.csv of a wave's folder and writes spectrum.csv and peaks.csv beside it, where there are
/// probes and enough rows. The result are the files written.
std::vector<std::string> write_spectra(const Case& given, Discretization& balance,
                                       const std::filesystem::path& folder);

/// Arrival times and the strongest peaks, in words.
void probes_section(const Case& given, const std::filesystem::path& folder, Report& report);

}  // namespace williwaw::study
