// The case as it is run, beside the journal of its fields, for `recover`.
#pragma once

#include "williwaw/study/open_case.hpp"

namespace williwaw::study {

std::filesystem::path kept_case(const std::filesystem::path& folder);
void keep_case(const Case& given, const std::filesystem::path& folder);
/// Throws StoreError where it is not there.
Case read_kept_case(const std::filesystem::path& folder);

}  // namespace williwaw::study
