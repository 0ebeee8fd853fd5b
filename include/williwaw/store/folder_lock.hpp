// One writer for each result folder.
#pragma once

#include <filesystem>

namespace williwaw::store {

/// Holds a folder for one writer: a file `lock` in it, on which the system keeps a lock (flock) that goes
/// when the process does, however it ends.
class FolderLock {
 public:
  /// The folder must be there. Throws StoreError that names the other process where one writes already.
  explicit FolderLock(const std::filesystem::path& folder);
  FolderLock(const FolderLock&) = delete;
  FolderLock& operator=(const FolderLock&) = delete;
  ~FolderLock();

 private:
  std::filesystem::path file_;
  int handle_ = -1;
};

}  // namespace williwaw::store
