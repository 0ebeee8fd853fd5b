// Samples: one case run several times, with seeds and values that differ, and what its results are like as a
// whole.
#pragma once

#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// Where the results of a sample lie within those of all: "sample-03".
std::filesystem::path folder_of_sample(const Case& given, Index sample, const std::filesystem::path& folder);

/// From the results of all samples of a case, at the times that all of them have:
/// fields.nc with the mean of every quantity under its own name, and beside it NAME.spread (the standard
/// deviation, with count − 1 below) and the quantiles NAME.p10, NAME.p50, NAME.p90 (between values in order,
/// linearly; Hyndman and Fan, 1996, number 7); series.csv with the mean of every column; spread.csv with the
/// spread and quantiles of probes, measures and contents; summary.json, run.log and case.toml. Returns the
/// closing words. Throws StoreError for results that are not there, and InputError for grids or columns that
/// differ.
Report write_statistics(const Case& given, const std::filesystem::path& folder);

}  // namespace williwaw::study
