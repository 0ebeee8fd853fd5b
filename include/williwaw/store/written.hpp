// What was written into a result folder, so that a run that replaces an earlier one mixes nothing of both.
#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace williwaw::store {

/// Whose a file in a result folder is.
enum class WrittenFor {
  run,      ///< the run's own, with the figures of its case
  export_,  ///< made of all of it afterwards: tables and files for other programs, pages
  hand      ///< somebody asked for it: one more figure, a film
};

/// Notes files of a result folder in its file `written`; those that are not in it are nobody's concern.
/// Throws StoreError.
void note_written(const std::filesystem::path& folder, WrittenFor whose,
                  std::span<const std::filesystem::path> files);

/// A file that was moved out of the way, both by their names in the folder.
struct Moved {
  std::string from, to;
};

/// Takes away what an earlier run and exports of it left in a folder, but for the files that every run
/// replaces once it has something to put there. What was made by hand is moved into the folder `earlier`;
/// files that were never noted stay where they are. Throws StoreError.
std::vector<Moved> clear_earlier(const std::filesystem::path& folder);

}  // namespace williwaw::store
