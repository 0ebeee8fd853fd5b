// `run` of a case with [samples].
#pragma once

#include "commands.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::cli {

/// All samples of a case, each in a folder of its own, and what they are like as a whole: an exit code.
int run_samples(const RunArguments& arguments, const casefile::Case& given, const study::Prepared& prepared,
                const std::filesystem::path& folder);

}  // namespace williwaw::cli
