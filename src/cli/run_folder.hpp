// Where the results of a run are left.
#pragma once

#include "commands.hpp"

namespace williwaw::cli {

/// The folder that was asked for, or CASE.out.
std::filesystem::path folder_of(const RunArguments& arguments);
/// CASE.out, CASE-2.out, CASE-3.out ..
std::filesystem::path numbered(const std::filesystem::path& folder, Index number);
/// The first number from 1 on whose folder is not there yet.
Index next_number(const std::filesystem::path& folder);
/// A folder with other files in it is somebody's; one with a run in it may be written again. Throws
/// InputError.
void check_folder(const std::filesystem::path& folder);

}  // namespace williwaw::cli
